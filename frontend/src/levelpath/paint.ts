/** Draws the level path: ribbons of voice and room through the stations, and what the viewers get. */

import { CLIPPED_DBFS } from "../api/facts.gen";
import type { InputSettings, Levels, Rig, StationLevels } from "../api/client";
import { readings, SILENCE } from "../live/readings";
import { colour, FIGURES_FONT, hatch, TEXT_FONT } from "../ui/Picture";
import { roleColour } from "../ui/roles";
import { signless } from "../units/format";
import { BOTTOM_DB, columnX, frameOf, xOf, yOf, type Frame } from "./scale";
import { columnsOf, stationsOf, toViewers, type Station } from "./stations";

const FIELDS = [
  "quiet_dbfs",
  "body_low_dbfs",
  "body_high_dbfs",
  "peaks_dbfs",
  "highest_peak_dbfs",
  "noise_floor_dbfs",
] as const;
type Field = (typeof FIELDS)[number];

/** Figures come five times a second; what is drawn with each of them follows them smoothly. */
const shown = new Map<string, number>();
const EASE = 0.7;

function eased(key: string, value: number | null | undefined): number {
  const goal = value ?? SILENCE;
  const before = shown.get(key);
  // What appears or goes does so at once: a ribbon that slides in from silence would be untrue.
  const now =
    before === undefined || before <= SILENCE || goal <= SILENCE
      ? goal
      : before + (goal - before) * EASE;
  shown.set(key, now);
  return now;
}

type Point = { x: number; y: number };

/** A curve through the points with level tangents at each. */
function curve(canvas: CanvasRenderingContext2D, points: Point[], isFirst: boolean) {
  points.forEach((point, i) => {
    const before = points[i - 1];
    if (!before) {
      if (isFirst) canvas.moveTo(point.x, point.y);
      else canvas.lineTo(point.x, point.y);
      return;
    }
    const middle = (before.x + point.x) / 2;
    canvas.bezierCurveTo(middle, before.y, middle, point.y, point.x, point.y);
  });
}

function ribbon(
  canvas: CanvasRenderingContext2D,
  upper: Point[],
  lower: Point[],
  fill: string | CanvasPattern,
  alpha: number,
) {
  canvas.globalAlpha = alpha;
  canvas.fillStyle = fill;
  canvas.beginPath();
  curve(canvas, upper, true);
  curve(canvas, [...lower].reverse(), false);
  canvas.closePath();
  canvas.fill();
  canvas.globalAlpha = 1;
}

function line(
  canvas: CanvasRenderingContext2D,
  points: Point[],
  stroke: string,
  width: number,
  dash: number[] = [],
) {
  canvas.strokeStyle = stroke;
  canvas.lineWidth = width;
  canvas.setLineDash(dash);
  canvas.beginPath();
  curve(canvas, points, true);
  canvas.stroke();
  canvas.setLineDash([]);
}

function grid(canvas: CanvasRenderingContext2D, frame: Frame, isTall: boolean) {
  canvas.font = FIGURES_FONT;
  canvas.textAlign = "right";
  canvas.textBaseline = "middle";
  canvas.lineWidth = 1;
  for (let db = 0; db >= BOTTOM_DB; db -= isTall ? 12 : 24) {
    const y = Math.round(yOf(db, frame)) + 0.5;
    canvas.strokeStyle = colour("line");
    canvas.globalAlpha = 0.55;
    canvas.beginPath();
    canvas.moveTo(frame.left - 6, y);
    canvas.lineTo(frame.width - 18, y);
    canvas.stroke();
    canvas.globalAlpha = 1;
    canvas.fillStyle = colour("quiet");
    canvas.fillText(signless(db, 0), frame.left - 12, y);
  }
}

function path(
  canvas: CanvasRenderingContext2D,
  stations: Station[],
  hue: string,
  levels: Levels,
  frame: Frame,
) {
  const points = (field: Field): Point[] =>
    stations.map(({ meter }, i) => ({
      x: xOf(i, stations.length, frame),
      y: yOf(eased(`${meter}.${field}`, levels.stations[meter]?.[field]), frame),
    }));
  const curves = Object.fromEntries(FIELDS.map((field) => [field, points(field)])) as Record<
    Field,
    Point[]
  >;
  const has = (field: Field) =>
    stations.some(({ meter }) => (levels.stations[meter]?.[field] ?? null) !== null);

  if (has("noise_floor_dbfs")) {
    const ground = curves.noise_floor_dbfs.map(({ x }) => ({ x, y: frame.bottom }));
    ribbon(canvas, curves.noise_floor_dbfs, ground, colour("noise"), 0.14);
    ribbon(canvas, curves.noise_floor_dbfs, ground, hatch(canvas), 0.8);
    line(canvas, curves.noise_floor_dbfs, colour("noise"), 1.5);
  }
  if (has("peaks_dbfs")) {
    ribbon(canvas, curves.peaks_dbfs, curves.quiet_dbfs, hue, 0.26);
    ribbon(canvas, curves.body_high_dbfs, curves.body_low_dbfs, hue, 0.5);
    line(canvas, curves.peaks_dbfs, hue, 2.5);
    line(canvas, curves.highest_peak_dbfs, colour("text"), 1.2, [2, 4]);
  }
  stations.forEach(({ meter, stageId }, i) => {
    const x = xOf(i, stations.length, frame);
    // Inside the chain there is room above 0 dBFS; at the converter there is none.
    const highest = levels.stations[meter]?.highest_peak_dbfs ?? SILENCE;
    if (i === 0 && stageId === null && highest >= CLIPPED_DBFS)
      over(canvas, x, frame.top - 9, "clips");
  });
}

/** What is over is vermilion and marked. */
function over(canvas: CanvasRenderingContext2D, x: number, y: number, word: string) {
  canvas.font = `600 ${TEXT_FONT}`;
  canvas.fillStyle = colour("over-strong");
  canvas.textAlign = "center";
  canvas.textBaseline = "middle";
  canvas.fillText(`▲ ${word}`, x, y);
}

function bracket(canvas: CanvasRenderingContext2D, x: number, upper: number, lower: number) {
  canvas.strokeStyle = colour("text");
  canvas.lineWidth = 1.5;
  for (const side of [-1, 1]) {
    canvas.beginPath();
    canvas.moveTo(x + side * 14, upper);
    canvas.lineTo(x + side * 18, upper);
    canvas.lineTo(x + side * 18, lower);
    canvas.lineTo(x + side * 14, lower);
    canvas.stroke();
  }
}

function column(
  canvas: CanvasRenderingContext2D,
  input: InputSettings,
  x: number,
  levels: Levels,
  frame: Frame,
) {
  const meter = toViewers(input.id);
  const hue = colour(roleColour(input.role));
  const figures: StationLevels | undefined = levels.stations[meter];
  const standing = levels.standings[input.id];
  if (standing) {
    const { target_peaks_dbfs: target, tolerance_db: tolerance } = standing;
    bracket(canvas, x, yOf(target + tolerance, frame), yOf(target - tolerance, frame));
  }
  const peaks = eased(`column.${input.id}`, levels.peaks_dbfs[input.id]);
  if (peaks > BOTTOM_DB) {
    const low = eased(`column.${input.id}.low`, figures?.body_low_dbfs ?? peaks - 18);
    const high = eased(`column.${input.id}.high`, figures?.body_high_dbfs ?? peaks - 10);
    canvas.fillStyle = hue;
    canvas.globalAlpha = 0.35;
    canvas.fillRect(x - 11, yOf(peaks, frame), 22, yOf(low, frame) - yOf(peaks, frame));
    canvas.globalAlpha = 0.75;
    canvas.fillRect(x - 11, yOf(high, frame), 22, Math.max(0, yOf(low, frame) - yOf(high, frame)));
    canvas.globalAlpha = 1;
    canvas.fillRect(x - 12, yOf(peaks, frame) - 1.5, 24, 3);
  }
}

export function paintLevelPath(
  canvas: CanvasRenderingContext2D,
  width: number,
  height: number,
  rig: Rig,
  input: InputSettings | undefined,
  isTall: boolean,
) {
  const columns = columnsOf(rig);
  const frame = frameOf(width, height, isTall);
  grid(canvas, frame, isTall);
  const levels = readings.levels;
  if (!levels) return;
  path(canvas, stationsOf(rig, input), colour(roleColour(input?.role ?? "voice")), levels, frame);
  columns.forEach((input, i) =>
    column(canvas, input, columnX(i, columns.length, frame), levels, frame),
  );
}
