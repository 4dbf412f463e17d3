/** The frequency axis that pictures of the chain share, with a voice's zones named under it. */

import { colour, FIGURES_FONT, TEXT_FONT } from "../ui/Picture";
import { signless } from "../units/format";
import { hertz, shareOfHz, ZONES } from "./bands";

export const MARGIN = { left: 34, right: 10, top: 8, bottom: 38 };
const MARKS_HZ = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000];

/** Bands of a sixth of an octave around 1 kHz, as the server counts them. */
const BANDS_BELOW_1_KHZ = 34;
const hzOfBand = (band: number) => 1000 * 2 ** ((band - BANDS_BELOW_1_KHZ) / 6);

export type Plane = { x: (hz: number) => number; y: (db: number) => number; bottom: number };

/** A plane of frequency and dB, held at its edges. */
export function planeOf(width: number, height: number, topDb: number, bottomDb: number): Plane {
  const right = width - MARGIN.right;
  const bottom = height - MARGIN.bottom;
  return {
    x: (hz) => MARGIN.left + shareOfHz(hz) * (right - MARGIN.left),
    y: (db) =>
      MARGIN.top +
      ((topDb - Math.max(bottomDb, Math.min(topDb, db))) / (topDb - bottomDb)) *
        (bottom - MARGIN.top),
    bottom,
  };
}

export function frequencyGrid(
  canvas: CanvasRenderingContext2D,
  plane: Plane,
  topDb: number,
  bottomDb: number,
  step: number,
) {
  const right = plane.x(20000);
  canvas.lineWidth = 1;
  canvas.textBaseline = "middle";
  canvas.font = FIGURES_FONT;
  canvas.textAlign = "right";
  for (let db = topDb; db >= bottomDb; db -= step) {
    const y = plane.y(db);
    canvas.strokeStyle = colour(db === 0 ? "quiet" : "line");
    canvas.globalAlpha = 0.6;
    canvas.beginPath();
    canvas.moveTo(MARGIN.left, Math.round(y) + 0.5);
    canvas.lineTo(right, Math.round(y) + 0.5);
    canvas.stroke();
    canvas.globalAlpha = 1;
    canvas.fillStyle = colour("quiet");
    canvas.fillText(signless(db, 0), MARGIN.left - 6, y);
  }
  canvas.textAlign = "center";
  for (const hz of MARKS_HZ) canvas.fillText(hertz(hz), plane.x(hz), plane.bottom + 10);
  canvas.font = TEXT_FONT;
  ZONES.forEach(({ label, from, to }, number) => {
    const start = plane.x(from);
    const end = plane.x(to);
    canvas.fillStyle = colour("raised");
    canvas.globalAlpha = number % 2 ? 0.35 : 0.7;
    canvas.fillRect(start, plane.bottom + 20, end - start, 16);
    canvas.globalAlpha = 1;
    canvas.fillStyle = colour("quiet");
    if (canvas.measureText(label).width < end - start) {
      canvas.fillText(label, (start + end) / 2, plane.bottom + 29);
    }
  });
}

/** A path through levels in bands; `back` runs it from right to left, to close an area. */
export function traceBands(
  canvas: CanvasRenderingContext2D,
  plane: Plane,
  levels: number[],
  isBack = false,
) {
  const order = levels.map((_, i) => (isBack ? levels.length - 1 - i : i));
  for (const i of order) {
    canvas.lineTo(plane.x(Math.max(20, Math.min(20000, hzOfBand(i)))), plane.y(levels[i] ?? -120));
  }
}
