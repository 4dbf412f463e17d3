import { useCallback } from "react";
import type { GateWork } from "../api/client";
import { stagePath, useStage } from "../live/chains";
import { readings, SPEECH, useLevels, type Ring } from "../live/readings";
import { useLive } from "../live/store";
import { colour, hatch, Picture, TEXT_FONT } from "../ui/Picture";
import { Setting, useSetting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { signless } from "../units/format";
import {
  areaOf,
  fillBelow,
  levelGrid,
  levelLine,
  timeAxis,
  tracePath,
  yIn,
  type Area,
} from "../ui/axes";
import type { PanelProps } from "./panelProps";
import { Panel } from "../ui/Panel";
import { PanelLayout } from "../pictures/PanelLayout";
import { t } from "../text/text";

const TOP = 0;
const BOTTOM = -72;
const BINS = 72;
/** What is no voice counts as sounding above this, in dBFS. */
const PLAYING = -60;
const WINDOW_MS = 10_000;
const SETTINGS = [
  "open_threshold_dbfs",
  "close_threshold_dbfs",
  "range_db",
  "attack_ms",
  "hold_ms",
  "release_ms",
  "look_ahead_ms",
  "side_chain_high_pass_hz",
];

export function GatePanel({ id, before }: PanelProps) {
  const open = Number(useSetting(`${stagePath(id)}.settings.open_threshold_dbfs`)?.value ?? 0);
  const close = Number(useSetting(`${stagePath(id)}.settings.close_threshold_dbfs`)?.value ?? 0);

  const isForVoice = useSetting(`${stagePath(id)}.settings.is_for_voice`)?.value === true;
  const chain = useStage(id)?.input.chain ?? [];
  const knowsVoices = chain
    .slice(
      0,
      chain.findIndex((slot) => slot.id === id),
    )
    .some((slot) => slot.stage === "suppressor" && slot.settings.knows_voices_percent > 0);
  const inputId = useStage(id)?.input.id ?? "";
  const mainId = useLive((live) => live.state?.rig.chained) ?? "";

  const paintHistory = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      const y = (db: number) => yIn(area, db, TOP, BOTTOM);
      levelGrid(canvas, area, TOP, BOTTOM, 12);
      timeAxis(canvas, area);
      openTimes(canvas, area, id);
      const peaks = readings.peak.get(before);
      if (peaks) {
        tracePath(canvas, area, peaks, y);
        canvas.strokeStyle = colour("voice");
        canvas.lineWidth = 1.5;
        canvas.stroke();
        fillBelow(canvas, area, colour("voice"), 0.22);
      }
      markLosses(canvas, area, id);
      levelLine(canvas, area, y(open), t("chain.openDb", { db: signless(open, 1) }), false);
      levelLine(canvas, area, y(close), t("chain.closeDb", { db: signless(close, 1) }), true);
    },
    [id, before, open, close],
  );

  const paintShares = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = { ...areaOf(width, height), left: 4 };
      const y = (db: number) => yIn(area, db, TOP, BOTTOM);
      const activity = readings.activityOf(inputId, mainId);
      const [loud, quiet] =
        inputId === mainId
          ? [t("chain.yourSpeech"), t("chain.roomNoise")]
          : [t("chain.sound"), t("chain.pauses")];
      distribution(canvas, area, before, activity, true, colour("voice"), loud);
      distribution(canvas, area, before, activity, false, hatch(canvas), quiet);
      levelLine(canvas, area, y(open), "", false);
      levelLine(canvas, area, y(close), "", true);
    },
    [before, open, close, inputId, mainId],
  );

  return (
    <PanelLayout
      settings={
        <>
          {SETTINGS.map((name) => (
            <Setting key={name} path={`${stagePath(id)}.settings.${name}`} />
          ))}
          <div className="pt-1.5">
            <Toggle path={`${stagePath(id)}.settings.is_for_voice`} />
            {isForVoice && !knowsVoices && (
              <p className="pt-1 text-xs text-quiet">{t("chain.noSuppressorWithAVoice")}</p>
            )}
          </div>
        </>
      }
    >
      <Panel className="flex-1" title={t("chain.peaksAtTheGateDbfs")}>
        <Picture
          follows="sound"
          paint={paintHistory}
          label={t("chain.lastTenSecondsOfPeaks")}
          className="h-[264px] w-full"
        />
        <GateSentence id={id} />
      </Panel>
      <Panel className="w-[190px] shrink-0" title={t("chain.levelHistogramSameScale")}>
        <Picture
          follows="figures"
          paint={paintShares}
          label={t("chain.howOftenSpeechAndRoom")}
          className="h-[264px] w-full"
        />
      </Panel>
    </PanelLayout>
  );
}

function GateSentence({ id }: { id: string }) {
  const said = useLevels((levels) => gateSentence(levels?.gate_work[id]));
  return <p className="text-[13px]">{said}</p>;
}

function gateSentence(work: GateWork | undefined): string {
  if (!work) return "–";
  const losses = work.losses_ago_ms.length;
  const cut =
    losses === 0 ? t("chain.noFirstSyllableWasCut") : t("chain.syllablesCut", { count: losses });
  const chatter = Math.round(work.chatter_per_minute);
  return `${cut}; ${chatter ? t("chain.chatterOnceAMinuteCount", { count: chatter }) : t("chain.noChatter")}.`;
}

/** A mark where a first syllable was cut. */
function markLosses(canvas: CanvasRenderingContext2D, area: Area, id: string) {
  for (const ago of readings.levels?.gate_work[id]?.losses_ago_ms ?? []) {
    const x = area.right - (ago / WINDOW_MS) * (area.right - area.left);
    canvas.fillStyle = colour("over");
    canvas.beginPath();
    canvas.moveTo(x - 5, area.top);
    canvas.lineTo(x + 5, area.top);
    canvas.lineTo(x, area.top + 9);
    canvas.fill();
  }
}

/** Shades the times at which the gate was open, and marks them at the bottom. */
function openTimes(canvas: CanvasRenderingContext2D, area: Area, id: string) {
  const open = readings.isOpen.get(id);
  if (!open) return;
  const x = (i: number) => area.left + (i / open.length) * (area.right - area.left);
  canvas.fillStyle = colour("voice");
  // Whole runs at once: neighbouring slices would overlap into stripes.
  for (let start = 0; start < open.length; start++) {
    if (!open.at(start)) continue;
    let end = start;
    while (end < open.length && open.at(end)) end++;
    canvas.globalAlpha = 0.12;
    canvas.fillRect(x(start), area.top, x(end) - x(start), area.bottom - area.top);
    canvas.globalAlpha = 1;
    canvas.fillRect(x(start), area.bottom + 1, x(end) - x(start), 3);
    start = end;
  }
}

/** A smoothed histogram of peaks in speech or in pauses, lying on its side. */
function distribution(
  canvas: CanvasRenderingContext2D,
  area: Area,
  meter: string,
  activity: Ring | null,
  isSpeech: boolean,
  fill: string | CanvasPattern,
  label: string,
) {
  const peaks = readings.peak.get(meter);
  if (!peaks) return;
  const bins = new Float32Array(BINS);
  let total = 0;
  for (let i = 0; i < peaks.length; i++) {
    const value = peaks.at(i);
    const said = activity ? activity.at(i) : value > PLAYING ? SPEECH : 0;
    if (value <= BOTTOM || (isSpeech ? said !== SPEECH : said !== 0)) continue;
    const bin = Math.floor(((TOP - value) / (TOP - BOTTOM)) * BINS);
    // Spread over five bins, so that ten seconds make a shape and not a comb.
    for (let k = -2; k <= 2; k++) {
      if (bin + k >= 0 && bin + k < BINS) bins[bin + k] = (bins[bin + k] ?? 0) + 3 - Math.abs(k);
    }
    total += 1;
  }
  if (total < 50) return;
  const greatest = Math.max(...bins);
  canvas.beginPath();
  canvas.moveTo(area.left, area.top);
  bins.forEach((count, i) => {
    const y = area.top + ((i + 0.5) / BINS) * (area.bottom - area.top);
    canvas.lineTo(area.left + (count / greatest) * (area.right - area.left) * 0.5, y);
  });
  canvas.lineTo(area.left, area.bottom);
  canvas.closePath();
  canvas.globalAlpha = isSpeech ? 0.45 : 1;
  canvas.fillStyle = fill;
  canvas.fill();
  canvas.globalAlpha = 1;
  canvas.strokeStyle = isSpeech ? colour("voice") : colour("noise");
  canvas.lineWidth = 1.3;
  canvas.stroke();
  const y = area.top + ((bins.indexOf(greatest) + 0.5) / BINS) * (area.bottom - area.top);
  canvas.font = TEXT_FONT;
  canvas.textAlign = "right";
  // Where both lie at one level, their names must not.
  canvas.textBaseline = isSpeech ? "bottom" : "top";
  canvas.fillStyle = isSpeech ? colour("voice-strong") : colour("quiet");
  canvas.fillText(label, area.right, y);
}
