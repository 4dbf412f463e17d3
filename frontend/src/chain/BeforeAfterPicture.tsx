import { useCallback } from "react";
import { readings } from "../live/readings";
import { areaOf, fillBelow, levelGrid, levelLine, timeAxis, tracePath, yIn } from "../ui/axes";
import { colour, Picture } from "../ui/Picture";

type Props = {
  before: string;
  after: string;
  top: number;
  bottom: number;
  step: number;
  mark?: { db: number; label: string };
  label: string;
};

/** Ten seconds of peaks before (grey) and after (amber) a stage, with one level marked. */
export function BeforeAfterPicture({ before, after, top, bottom, step, mark, label }: Props) {
  const db = mark?.db;
  const name = mark?.label ?? "";
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      const y = (value: number) => yIn(area, value, top, bottom);
      levelGrid(canvas, area, top, bottom, step);
      timeAxis(canvas, area);
      for (const [meter, tone] of [
        [before, "quiet"],
        [after, "voice"],
      ] as const) {
        const peaks = readings.peak.get(meter);
        if (!peaks) continue;
        tracePath(canvas, area, peaks, y);
        canvas.strokeStyle = colour(tone);
        canvas.lineWidth = 1.4;
        canvas.stroke();
        if (tone === "voice") fillBelow(canvas, area, colour(tone), 0.22);
      }
      if (db !== undefined) levelLine(canvas, area, y(db), name, false);
    },
    [before, after, top, bottom, step, db, name],
  );
  return <Picture follows="sound" paint={paint} label={label} className="h-[262px] w-full" />;
}
