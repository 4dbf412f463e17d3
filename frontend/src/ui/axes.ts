/** Axes that pictures share. */

import { colour, FIGURES_FONT } from "./Picture";
import { signless } from "../units/format";
import { t } from "../text/text";

export type Area = { left: number; right: number; top: number; bottom: number };

export function areaOf(width: number, height: number): Area {
  return { left: 34, right: width - 6, top: 8, bottom: height - 20 };
}

/** Value → height on the picture, `from` at the top. */
export function yIn(area: Area, value: number, from: number, to: number): number {
  const share = (value - from) / (to - from);
  return area.top + Math.max(0, Math.min(1, share)) * (area.bottom - area.top);
}

export function levelGrid(
  canvas: CanvasRenderingContext2D,
  area: Area,
  from: number,
  to: number,
  step: number,
) {
  canvas.font = FIGURES_FONT;
  canvas.textAlign = "right";
  canvas.textBaseline = "middle";
  canvas.lineWidth = 1;
  const direction = to < from ? -step : step;
  for (let value = from; direction < 0 ? value >= to : value <= to; value += direction) {
    const y = Math.round(yIn(area, value, from, to)) + 0.5;
    canvas.strokeStyle = colour("line");
    canvas.beginPath();
    canvas.moveTo(area.left, y);
    canvas.lineTo(area.right, y);
    canvas.stroke();
    canvas.fillStyle = colour("quiet");
    canvas.fillText(signless(value, 0), area.left - 6, y);
  }
}

export function timeAxis(canvas: CanvasRenderingContext2D, area: Area, ago = t("ui.n10SAgo")) {
  canvas.font = FIGURES_FONT;
  canvas.fillStyle = colour("quiet");
  canvas.textBaseline = "top";
  canvas.textAlign = "left";
  canvas.fillText(ago, area.left, area.bottom + 6);
  canvas.textAlign = "right";
  canvas.fillText(t("ui.now"), area.right, area.bottom + 6);
}

export type Series = { length: number; at: (index: number) => number };

/** A line through a series over the whole width, as a path that can be stroked or closed. */
export function tracePath(
  canvas: CanvasRenderingContext2D,
  area: Area,
  series: Series,
  y: (value: number) => number,
) {
  canvas.beginPath();
  const points = Math.min(series.length, Math.round(area.right - area.left));
  for (let i = 0; i < points; i++) {
    // The greatest of the values that share a pixel: a short peak must not fall between two.
    const first = Math.floor((i * series.length) / points);
    const last = Math.max(first + 1, Math.floor(((i + 1) * series.length) / points));
    let greatest = -Infinity;
    for (let k = first; k < last; k++) greatest = Math.max(greatest, series.at(k));
    const x = area.left + (i / (points - 1)) * (area.right - area.left);
    if (i) canvas.lineTo(x, y(greatest));
    else canvas.moveTo(x, y(greatest));
  }
}

export function fillBelow(
  canvas: CanvasRenderingContext2D,
  area: Area,
  fill: string,
  alpha: number,
) {
  canvas.save();
  canvas.lineTo(area.right, area.bottom);
  canvas.lineTo(area.left, area.bottom);
  canvas.closePath();
  canvas.globalAlpha = alpha;
  canvas.fillStyle = fill;
  canvas.fill();
  canvas.restore();
}

/** A level across the picture with its name. */
export function levelLine(
  canvas: CanvasRenderingContext2D,
  area: Area,
  y: number,
  label: string,
  isDashed: boolean,
) {
  canvas.strokeStyle = colour("text");
  canvas.lineWidth = 1.3;
  canvas.setLineDash(isDashed ? [5, 4] : []);
  canvas.beginPath();
  canvas.moveTo(area.left, y);
  canvas.lineTo(area.right, y);
  canvas.stroke();
  canvas.setLineDash([]);
  canvas.font = `600 ${FIGURES_FONT}`;
  canvas.textAlign = "right";
  const width = canvas.measureText(label).width;
  const isBelow = isDashed || y - 16 < area.top;
  const middle = y + (isBelow ? 9 : -9);
  canvas.fillStyle = colour("panel");
  canvas.globalAlpha = 0.85;
  canvas.fillRect(area.right - width - 10, middle - 8, width + 8, 15);
  canvas.globalAlpha = 1;
  canvas.fillStyle = colour("text");
  canvas.textBaseline = "middle";
  canvas.fillText(label, area.right - 6, middle);
}

/** Heights of labels in the order given, each as near below its wish as the others allow. */
export function keptApart(wished: readonly number[], apart: number): number[] {
  const order = wished.map((_, i) => i).sort((a, b) => (wished[a] ?? 0) - (wished[b] ?? 0));
  const heights = [...wished];
  let free = -Infinity;
  for (const i of order) {
    heights[i] = Math.max(wished[i] ?? 0, free);
    free = heights[i] + apart;
  }
  return heights;
}
