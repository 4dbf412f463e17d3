import { useCallback } from "react";
import { readings } from "../live/readings";
import { colour, Picture } from "../ui/Picture";
import { Setting, useSetting } from "../ui/Setting";
import { signless } from "../units/format";
import { areaOf, fillBelow, levelGrid, levelLine, timeAxis, tracePath, yIn } from "../ui/axes";
import type { PanelProps } from "./ChainPage";
import { Panel } from "../ui/Panel";
import { PanelLayout } from "./PanelLayout";
import { ReductionPicture } from "./ReductionPicture";

const TOP = 6;
const BOTTOM = -30;

export function LimiterPanel({ id, before }: PanelProps) {
  const ceiling = Number(useSetting(`chain.${id}.settings.ceiling_dbtp`)?.value ?? 0);
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      const y = (db: number) => yIn(area, db, TOP, BOTTOM);
      levelGrid(canvas, area, TOP, BOTTOM, 6);
      timeAxis(canvas, area);
      for (const [meter, tone] of [
        [before, "quiet"],
        [id, "voice"],
      ] as const) {
        const peaks = readings.peak.get(meter);
        if (!peaks) continue;
        tracePath(canvas, area, peaks, y);
        canvas.strokeStyle = colour(tone);
        canvas.lineWidth = 1.4;
        canvas.stroke();
        if (tone === "voice") fillBelow(canvas, area, colour(tone), 0.22);
      }
      levelLine(canvas, area, y(ceiling), `ceiling ${signless(ceiling, 1)}`, false);
    },
    [id, before, ceiling],
  );
  return (
    <PanelLayout
      settings={
        <>
          <Setting path={`chain.${id}.settings.ceiling_dbtp`} />
          <Setting path={`chain.${id}.settings.release_ms`} />
        </>
      }
    >
      <Panel className="flex-1" title="Peaks before (grey) and after (amber), dBFS">
        <Picture
          paint={paint}
          label="Ten seconds of peaks before and after the limiter"
          className="h-[286px] w-full"
        />
      </Panel>
      <ReductionPicture id={id} deepest={12} />
    </PanelLayout>
  );
}
