/** Where things lie in the level path: pure geometry, shared by the drawing and what stands on it. */

export const TOP_DB = 0;
export const BOTTOM_DB = -84;

export type Frame = {
  width: number;
  top: number;
  bottom: number;
  left: number;
  /** Where the stations end and what the viewers get begins. */
  split: number;
};

export function frameOf(width: number, height: number, isTall: boolean): Frame {
  return {
    width,
    top: isTall ? 40 : 20,
    bottom: height - (isTall ? 48 : 26),
    left: 52,
    split: width - 236,
  };
}

export function yOf(db: number, frame: Frame): number {
  const share = (TOP_DB - Math.max(BOTTOM_DB, Math.min(TOP_DB, db))) / (TOP_DB - BOTTOM_DB);
  return frame.top + share * (frame.bottom - frame.top);
}

/** How far a threshold moves with the pointer. */
export function dbPerPixel(frame: Frame): number {
  return (TOP_DB - BOTTOM_DB) / (frame.bottom - frame.top);
}

/** Middle of station number `index` of `count`. */
export function xOf(index: number, count: number, frame: Frame): number {
  const width = (frame.split - frame.left) / count;
  return frame.left + width * (index + 0.5);
}

/** Middle of column number `index` of `count` at the right end. */
export function columnX(index: number, count: number, frame: Frame): number {
  const width = (frame.width - frame.split - 26) / count;
  return frame.split + 20 + width * (index + 0.5);
}
