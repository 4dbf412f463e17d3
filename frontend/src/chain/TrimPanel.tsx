import { useCallback } from "react";
import { setSetting } from "../live/link";
import { readings, useLevels } from "../live/readings";
import { Choice } from "../ui/Choice";
import { colour, Picture } from "../ui/Picture";
import { Setting, useSetting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { decibels } from "../units/format";
import { areaOf, fillBelow, levelGrid, levelLine, timeAxis, tracePath, yIn } from "../ui/axes";
import type { PanelProps } from "./ChainPage";
import { Panel } from "../ui/Panel";
import { PanelLayout } from "./PanelLayout";

const TOP = 0;
const BOTTOM = -72;
const CHANNELS = ["left", "right", "sum", "stereo"].map((value) => ({ value, label: value }));

export function TrimPanel({ id, before }: PanelProps) {
  const channel = useSetting(`chain.${id}.settings.channel`);
  const levels = useLevels();
  const inside = levels?.stations[before];
  const outside = levels?.stations[id];

  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      levelGrid(canvas, area, TOP, BOTTOM, 12);
      timeAxis(canvas, area);
      const y = (db: number) => yIn(area, db, TOP, BOTTOM);
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
        if (tone === "voice") fillBelow(canvas, area, colour(tone), 0.2);
      }
      levelLine(canvas, area, y(-0.3), "full scale", true);
    },
    [id, before],
  );

  return (
    <PanelLayout
      settings={
        <>
          <Setting path={`chain.${id}.settings.gain_db`} />
          <p className="mt-2 mb-1 text-[13px]">Channel</p>
          <Choice
            label="Channel"
            value={String(channel?.value ?? "left")}
            options={CHANNELS}
            onChange={(value) => setSetting(`chain.${id}.settings.channel`, value)}
          />
          <div className="mt-2">
            <Toggle path={`chain.${id}.settings.is_polarity_inverted`} />
            <Toggle path={`chain.${id}.settings.is_dc_removed`} />
          </div>
        </>
      }
    >
      <Panel className="flex-1" title="Peaks before (grey) and after (amber), dBFS">
        <Picture
          paint={paint}
          label="Ten seconds of peaks before and after the trim"
          className="h-[262px] w-full"
        />
        <p className="text-[13px]">
          Speech peaks at {decibels(inside?.peaks_dbfs)} dBFS at the microphone and{" "}
          {decibels(outside?.peaks_dbfs)} after the trim.
        </p>
      </Panel>
    </PanelLayout>
  );
}
