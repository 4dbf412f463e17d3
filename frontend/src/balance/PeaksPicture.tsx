/** Peaks of every input as viewers get them: the last ten seconds, and the last ten minutes. */

import { useCallback } from "react";
import type { Rig } from "../api/client";
import { columnsOf, toViewers } from "../levelpath/stations";
import { readings } from "../live/readings";
import { useLive } from "../live/store";
import { areaOf, levelGrid, timeAxis, tracePath, yIn, type Area } from "../ui/axes";
import { colour, Picture, TEXT_FONT } from "../ui/Picture";
import { roleColour } from "../ui/roles";
import { overSentence } from "./sentences";
import { t } from "../text/text";

const TOP = 0;
const BOTTOM = -48;
const HISTORY_S = 600;

function paintTargets(canvas: CanvasRenderingContext2D, area: Area, rig: Rig) {
  const y = (db: number) => yIn(area, db, TOP, BOTTOM);
  const { voice_peaks_dbfs: peaks, voice_tolerance_db: tolerance } = rig.targets;
  canvas.fillStyle = colour("voice");
  canvas.globalAlpha = 0.16;
  const top = y(peaks + tolerance);
  canvas.fillRect(area.left, top, area.right - area.left, y(peaks - tolerance) - top);
  canvas.globalAlpha = 1;
  const standings = readings.levels?.standings;
  canvas.setLineDash([6, 4]);
  canvas.lineWidth = 1.2;
  for (const { id, role } of columnsOf(rig)) {
    const target = standings?.[id]?.target_peaks_dbfs;
    if (target === undefined || id === rig.chained) continue;
    canvas.strokeStyle = colour(roleColour(role));
    canvas.beginPath();
    canvas.moveTo(area.left, y(target));
    canvas.lineTo(area.right, y(target));
    canvas.stroke();
  }
  canvas.setLineDash([]);
}

export function LastTenSeconds() {
  const rig = useLive((live) => live.state?.rig);
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      levelGrid(canvas, area, TOP, BOTTOM, 12);
      timeAxis(canvas, area);
      if (!rig) return;
      paintTargets(canvas, area, rig);
      for (const { id, role } of columnsOf(rig).reverse()) {
        const peaks = readings.peak.get(toViewers(id));
        if (!peaks) continue;
        tracePath(canvas, area, peaks, (db) => yIn(area, db, TOP, BOTTOM));
        canvas.strokeStyle = colour(roleColour(role));
        canvas.lineWidth = role === "voice" ? 1.8 : 1.3;
        canvas.stroke();
      }
    },
    [rig],
  );
  return (
    <Picture
      follows="figures"
      paint={paint}
      label={t("balance.lastTenSecondsPeaksOf")}
      className="h-[116px] w-full"
    />
  );
}

const NONE: never[] = [];

export function LastTenMinutes() {
  const rig = useLive((live) => live.state?.rig);
  const seconds = useLive((live) => live.balance?.seconds ?? NONE);
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      levelGrid(canvas, area, TOP, BOTTOM, 12);
      const newest = seconds.at(-1)?.number ?? 0;
      const x = (number: number) =>
        area.right - ((newest - number) / HISTORY_S) * (area.right - area.left);
      const y = (db: number) => yIn(area, db, TOP, BOTTOM);
      timeAxis(canvas, area, t("balance.n10MinAgo"));
      if (!rig) return;
      paintTargets(canvas, area, rig);
      for (const { id, role } of columnsOf(rig).reverse()) {
        canvas.strokeStyle = colour(roleColour(role));
        canvas.lineWidth = role === "voice" ? 1.8 : 1.2;
        canvas.beginPath();
        let last = -2;
        for (const { number, peaks_dbfs: peaks } of seconds) {
          const db = peaks[id];
          if (db === undefined) continue;
          // A pause of some seconds is a gap in the line.
          if (number - last > 4) canvas.moveTo(x(number), y(db));
          canvas.lineTo(x(number), y(db));
          last = number;
        }
        canvas.stroke();
      }
      canvas.fillStyle = colour("over");
      let marked = -Infinity;
      for (const { number, over } of seconds) {
        if (!over.length) continue;
        canvas.fillRect(x(number) - 1, area.bottom - 5, Math.max(2, x(1) - x(0)), 5);
        if (x(number) - marked > 90) {
          marked = x(number);
          canvas.font = TEXT_FONT;
          canvas.fillStyle = colour("over-strong");
          canvas.textAlign = x(number) > area.right - 70 ? "right" : "left";
          canvas.textBaseline = "bottom";
          canvas.fillText(t("balance.aboveYourVoice"), x(number), area.bottom - 7);
          canvas.fillStyle = colour("over");
        }
      }
    },
    [rig, seconds],
  );
  return (
    <>
      <Picture
        follows="figures"
        paint={paint}
        label={t("balance.lastTenMinutesPeaksOf")}
        className="h-[116px] w-full"
      />
      <p className="text-[13px]">{overSentence(rig, seconds)}</p>
    </>
  );
}
