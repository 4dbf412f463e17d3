/** A canvas that is drawn once a display frame, outside React; ten times a second for those who want less motion. */

import { useEffect, useRef } from "react";

export type Paint = (canvas: CanvasRenderingContext2D, width: number, height: number) => void;

type Props = { paint: Paint; label: string; className?: string };

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

const CALM_MS = 100;

export function Picture({ paint, label, className = "" }: Props) {
  const place = useRef<HTMLCanvasElement>(null);
  const newest = useRef(paint);
  const drawnAt = useRef(-Infinity);
  useEffect(() => {
    newest.current = paint;
    drawnAt.current = -Infinity; // what the hand changes is shown at once
  }, [paint]);
  useEffect(() => {
    const element = place.current;
    const canvas = element?.getContext("2d");
    if (!element || !canvas) return;
    const wantsCalm = matchMedia("(prefers-reduced-motion: reduce)");
    let width = 0;
    let height = 0;
    const watcher = new ResizeObserver(([entry]) => {
      if (!entry) return;
      ({ width, height } = entry.contentRect);
      element.width = Math.round(width * devicePixelRatio);
      element.height = Math.round(height * devicePixelRatio);
      drawnAt.current = -Infinity;
    });
    watcher.observe(element);
    let frame = requestAnimationFrame(function draw(now) {
      const isDue = !wantsCalm.matches || now - drawnAt.current >= CALM_MS;
      if (width && height && isDue) {
        drawnAt.current = now;
        canvas.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0);
        canvas.clearRect(0, 0, width, height);
        newest.current(canvas, width, height);
      }
      frame = requestAnimationFrame(draw);
    });
    return () => {
      watcher.disconnect();
      cancelAnimationFrame(frame);
    };
  }, []);
  return <canvas ref={place} role="img" aria-label={label} className={`block ${className}`} />;
}
