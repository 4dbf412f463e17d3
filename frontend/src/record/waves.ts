/** Waveforms from peaks: bars on a scale of decibels, so that a murmur is seen beside a laugh. */

import { colour } from "../ui/Picture";
import { roleColour, ROLES } from "../ui/roles";

const LOWEST_DB = -48;
const BAR_PX = 3;
const LEAST_PX = 1;

/** The share of full height of a linear peak. */
export function heightOf(peak: number): number {
  if (peak <= 0) return 0;
  return Math.max(0, Math.min(1, 1 - (20 * Math.log10(peak)) / LOWEST_DB));
}

/** The name of a track's colour. */
export function trackColour(role: string): string {
  const known = ROLES.find((one) => one === role);
  return known ? roleColour(known) : "text";
}

/** The highest peak of so many stretches of `peaks` (one a row). */
export function fitted(peaks: number[], bars: number): number[] {
  if (peaks.length <= bars) return peaks;
  return Array.from({ length: bars }, (_, bar) => {
    const first = Math.floor((bar * peaks.length) / bars);
    const end = Math.max(first + 1, Math.floor(((bar + 1) * peaks.length) / bars));
    return Math.max(...peaks.slice(first, end));
  });
}

/** Bars around the middle of a box; those left of `playedX` in the track's colour, the rest quiet. */
export function paintWave(
  canvas: CanvasRenderingContext2D,
  box: { left: number; width: number; top: number; height: number },
  peaks: number[],
  name: string,
  playedX = Infinity,
) {
  const bars = fitted(peaks, Math.max(1, Math.floor(box.width / BAR_PX)));
  const step = box.width / Math.max(1, bars.length);
  const middle = box.top + box.height / 2;
  const played = colour(name);
  const waiting = colour("noise");
  bars.forEach((peak, bar) => {
    const x = box.left + bar * step;
    const half = Math.max(LEAST_PX / 2, (heightOf(peak) * box.height) / 2);
    canvas.fillStyle = x < playedX ? played : waiting;
    canvas.fillRect(x, middle - half, Math.max(1, step - 1), 2 * half);
  });
}

/** A flag at a mark: the user's are full, Goshawk's hollow. */
export function paintFlag(canvas: CanvasRenderingContext2D, x: number, y: number, isOwn: boolean) {
  canvas.beginPath();
  canvas.moveTo(x, y);
  canvas.lineTo(x + 7, y + 4.5);
  canvas.lineTo(x, y + 9);
  canvas.closePath();
  canvas.fillStyle = canvas.strokeStyle = colour("text");
  canvas.lineWidth = 1;
  if (isOwn) canvas.fill();
  else canvas.stroke();
}
