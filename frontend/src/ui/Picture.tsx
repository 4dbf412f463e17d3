/** A canvas that is drawn outside React: when it changes, and a live one when news comes from the server. */

import { useEffect, useRef } from "react";
import { readings } from "../live/readings";
import { type Draw, Drawing, PICTURE_MS } from "./drawing";

export type Paint = (canvas: CanvasRenderingContext2D, width: number, height: number) => void;

type Props = {
  paint: Paint;
  label: string;
  /** Whether it shows what streams in (see `readings`), and not only what it is given: "figures" five times a second, "sound" ten times. */
  follows?: "figures" | "sound";
  className?: string;
};

/** When what is drawn outside React is drawn. */
export const drawing = new Drawing({
  inNextFrame: (draw) => requestAnimationFrame(draw),
  in: (ms, then) => window.setTimeout(then, ms),
  now: () => performance.now(),
  wantsCalm: () => matchMedia("(prefers-reduced-motion: reduce)").matches,
});
readings.onNews(drawing.news);

/** Those on the page: all of them change with the theme. */
const shown = new Set<Draw>();

/** The theme's colour of a name, such as `voice`. */
export function colour(name: string): string {
  let known = colours.get(name);
  if (!known) {
    known = getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
    colours.set(name, known);
  }
  return known;
}

const colours = new Map<string, string>();

/** After a change of theme. */
export function forgetColours() {
  colours.clear();
  hatches.clear();
  shown.forEach((draw) => drawing.soon(draw));
}

const hatches = new Map<string, CanvasPattern | null>();

/** The grey hatch that stands for noise. */
export function hatch(canvas: CanvasRenderingContext2D): CanvasPattern | string {
  const name = colour("noise");
  let pattern = hatches.get(name);
  if (pattern === undefined) {
    const tile = document.createElement("canvas");
    tile.width = tile.height = 8;
    const pen = tile.getContext("2d");
    if (pen) {
      pen.strokeStyle = name;
      pen.globalAlpha = 0.55;
      pen.lineWidth = 1;
      pen.beginPath();
      for (const shift of [-8, 0, 8]) {
        pen.moveTo(shift, 8);
        pen.lineTo(shift + 8, 0);
      }
      pen.stroke();
    }
    pattern = canvas.createPattern(tile, "repeat");
    hatches.set(name, pattern);
  }
  return pattern ?? name;
}

export const FIGURES_FONT = '11px "Atkinson Hyperlegible Mono Variable", monospace';
export const TEXT_FONT = '12px "Atkinson Hyperlegible Next Variable", sans-serif';

export function Picture({ paint, label, follows, className = "" }: Props) {
  const place = useRef<HTMLCanvasElement>(null);
  const newest = useRef(paint);
  const again = useRef<Draw>(undefined);
  useEffect(() => {
    newest.current = paint;
    if (again.current) drawing.soon(again.current);
  }, [paint]);
  useEffect(() => {
    const element = place.current;
    const canvas = element?.getContext("2d");
    if (!element || !canvas) return;
    let width = 0;
    let height = 0;
    const draw = () => {
      if (!width || !height) return;
      canvas.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0);
      canvas.clearRect(0, 0, width, height);
      newest.current(canvas, width, height);
    };
    const soon = () => drawing.soon(draw);
    const watcher = new ResizeObserver(([entry]) => {
      if (!entry) return;
      ({ width, height } = entry.contentRect);
      element.width = Math.round(width * devicePixelRatio);
      element.height = Math.round(height * devicePixelRatio);
      draw(); // its new size has emptied it
    });
    watcher.observe(element);
    again.current = draw;
    shown.add(draw);
    if (follows === "figures") drawing.withFigures(draw);
    if (follows === "sound") drawing.withNews(draw, PICTURE_MS);
    element.addEventListener("contextrestored", soon);
    document.fonts.addEventListener("loadingdone", soon);
    return () => {
      watcher.disconnect();
      shown.delete(draw);
      drawing.forget(draw);
      element.removeEventListener("contextrestored", soon);
      document.fonts.removeEventListener("loadingdone", soon);
    };
  }, [follows]);
  return <canvas ref={place} role="img" aria-label={label} className={`block ${className}`} />;
}
