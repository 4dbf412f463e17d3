/** A stage's spectra, before and after it, live. */

import { useCallback, useEffect } from "react";
import { ask } from "../live/link";
import { readings } from "../live/readings";
import { useIsShown } from "../live/shown";
import { useLive } from "../live/store";
import { colour, hatch, Picture, TEXT_FONT } from "../ui/Picture";
import { frequencyGrid, planeOf, traceBands } from "./frequencyAxis";

const TOP_DB = -10;
const BOTTOM_DB = -100;

/** Ask for a stage's spectra as long as they are shown; an input (`input:` and its id) has none. */
export function useWatchedStage(id: string) {
  const status = useLive((live) => live.status);
  const isShown = useIsShown();
  useEffect(() => {
    if (status !== "open" || !isShown || id.includes(":")) return;
    ask({ type: "watch_stage", stage_id: id });
    return () => {
      if (useLive.getState().status === "open") ask({ type: "watch_stage", stage_id: "" });
    };
  }, [id, status, isShown]);
}

/** Before in grey, after in amber, faintly behind another picture; their scale is not the picture's. */
export function spectraBehind(
  canvas: CanvasRenderingContext2D,
  width: number,
  height: number,
  id: string,
) {
  const spectra = readings.spectraOf(id);
  if (!spectra) return;
  const plane = planeOf(width, height, TOP_DB, BOTTOM_DB);
  canvas.beginPath();
  canvas.moveTo(plane.x(20), plane.bottom);
  traceBands(canvas, plane, spectra.after_db);
  canvas.lineTo(plane.x(20000), plane.bottom);
  canvas.globalAlpha = 0.16;
  canvas.fillStyle = colour("voice");
  canvas.fill();
  canvas.globalAlpha = 0.8;
  canvas.beginPath();
  traceBands(canvas, plane, spectra.before_db);
  canvas.strokeStyle = colour("noise");
  canvas.lineWidth = 1;
  canvas.stroke();
  canvas.globalAlpha = 1;
}

type Props = {
  id: string;
  label: string;
  /** Frequencies at which something begins or ends, with a word. */
  marks?: { hz: number; label: string }[];
  height?: string;
};

export function SpectrumPicture({ id, label, marks, height = "h-[264px]" }: Props) {
  useWatchedStage(id);
  const words = JSON.stringify(marks ?? []);
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const plane = planeOf(width, height, TOP_DB, BOTTOM_DB);
      frequencyGrid(canvas, plane, TOP_DB, BOTTOM_DB, 15);
      const spectra = readings.spectraOf(id);
      const noise = readings.isStale() ? undefined : readings.stages[id]?.noise_db;
      if (Array.isArray(noise)) {
        canvas.beginPath();
        canvas.moveTo(plane.x(20), plane.bottom);
        traceBands(canvas, plane, noise);
        canvas.lineTo(plane.x(20000), plane.bottom);
        canvas.fillStyle = hatch(canvas);
        canvas.fill();
      }
      if (spectra) {
        // What is taken away lies between the two lines.
        canvas.beginPath();
        traceBands(canvas, plane, spectra.before_db);
        traceBands(canvas, plane, spectra.after_db, true);
        canvas.globalAlpha = 0.28;
        canvas.fillStyle = colour("noise");
        canvas.fill();
        canvas.globalAlpha = 1;
        for (const [levels, tone, line] of [
          [spectra.before_db, "quiet", 1.2],
          [spectra.after_db, "voice", 2],
        ] as const) {
          canvas.beginPath();
          traceBands(canvas, plane, levels);
          canvas.strokeStyle = colour(tone);
          canvas.lineWidth = line;
          canvas.stroke();
        }
      }
      const shown: NonNullable<Props["marks"]> = JSON.parse(words);
      for (const mark of shown) {
        const x = plane.x(mark.hz);
        canvas.strokeStyle = colour("text");
        canvas.lineWidth = 1.2;
        canvas.setLineDash([5, 4]);
        canvas.beginPath();
        canvas.moveTo(x, 8);
        canvas.lineTo(x, plane.bottom);
        canvas.stroke();
        canvas.setLineDash([]);
        canvas.font = TEXT_FONT;
        canvas.textAlign = "left";
        canvas.textBaseline = "top";
        canvas.fillStyle = colour("text");
        canvas.fillText(mark.label, x + 5, 10);
      }
    },
    [id, words],
  );
  return <Picture follows="sound" paint={paint} label={label} className={`${height} w-full`} />;
}
