import { useCallback } from "react";
import type { Finding } from "../api/client";
import { mainVoice } from "../live/chains";
import { ask, mendBy } from "../live/link";
import { MINUTE, readings, useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { Progress } from "../ui/Progress";
import { colour, FIGURES_FONT, Picture, TEXT_FONT } from "../ui/Picture";
import { decibels, signless } from "../units/format";
import { FindingCards } from "./FindingCards";
import { t } from "../text/text";

const LOWEST = -60;
const TOP = 22;
const BOTTOM = 52;

/** How far to turn the preamp: usual peaks against the zone in which they should land. */
function LandingPicture() {
  const paint = useCallback((canvas: CanvasRenderingContext2D, width: number) => {
    const advice = readings.levels?.gain;
    if (!advice) return;
    const x = (db: number) => 14 + ((Math.max(LOWEST, db) - LOWEST) / -LOWEST) * (width - 28);
    canvas.fillStyle = colour("raised");
    canvas.fillRect(x(LOWEST), TOP, x(0) - x(LOWEST), BOTTOM - TOP);
    canvas.fillStyle = colour("voice");
    canvas.globalAlpha = 0.3;
    const low = x(advice.landing_low_dbfs);
    const high = x(advice.landing_high_dbfs);
    canvas.fillRect(low, TOP, high - low, BOTTOM - TOP);
    canvas.globalAlpha = 1;
    canvas.font = TEXT_FONT;
    canvas.textAlign = "center";
    canvas.textBaseline = "bottom";
    canvas.fillStyle = colour("voice-strong");
    canvas.fillText(t("wiring.target"), (low + high) / 2, TOP - 4);
    canvas.fillStyle = colour("quiet");
    canvas.textAlign = "left";
    canvas.fillText(t("wiring.shout"), x(advice.loudest_dbfs) - 24, TOP - 4);
    canvas.setLineDash([4, 3]);
    canvas.strokeStyle = colour("quiet");
    canvas.beginPath();
    canvas.moveTo(x(advice.loudest_dbfs), TOP);
    canvas.lineTo(x(advice.loudest_dbfs), BOTTOM);
    canvas.stroke();
    canvas.setLineDash([]);
    canvas.font = FIGURES_FONT;
    canvas.textAlign = "center";
    canvas.textBaseline = "top";
    for (let db = LOWEST; db <= 0; db += 12) canvas.fillText(signless(db, 0), x(db), BOTTOM + 5);
    if (advice.usual_peaks_dbfs !== null) {
      const usual = x(Math.min(0, advice.usual_peaks_dbfs));
      canvas.fillStyle = colour(advice.is_clipping ? "over" : "voice");
      canvas.fillRect(usual - 2, TOP - 2, 4, BOTTOM - TOP + 4);
    }
    const live = readings.livePeak("microphone");
    if (live > LOWEST) {
      canvas.fillStyle = colour("text");
      canvas.fillRect(x(live) - 1, TOP + 8, 2, BOTTOM - TOP - 16);
    }
  }, []);

  return (
    <Picture
      follows="figures"
      paint={paint}
      label={t("wiring.usualMicrophonePeaksAndThe")}
      className="mt-1 h-[70px] w-full"
    />
  );
}

const HIGHEST = 0;

/** The microphone's peaks over the last minute against the zone, for the hand that turns. */
function HistoryPicture() {
  const paint = useCallback((canvas: CanvasRenderingContext2D, width: number, height: number) => {
    const advice = readings.levels?.gain;
    if (!advice) return;
    const left = 36;
    const right = width - 8;
    const bottom = height - 20;
    const y = (db: number) =>
      8 + ((HIGHEST - Math.max(LOWEST, db)) / (HIGHEST - LOWEST)) * (bottom - 8);
    canvas.fillStyle = colour("voice");
    canvas.globalAlpha = 0.22;
    const high = y(advice.landing_high_dbfs);
    canvas.fillRect(left, high, right - left, y(advice.landing_low_dbfs) - high);
    canvas.globalAlpha = 1;
    canvas.font = FIGURES_FONT;
    canvas.textBaseline = "middle";
    canvas.textAlign = "right";
    canvas.lineWidth = 1;
    for (let db = HIGHEST; db >= LOWEST; db -= 12) {
      canvas.strokeStyle = colour("line");
      canvas.globalAlpha = 0.55;
      canvas.beginPath();
      canvas.moveTo(left, y(db));
      canvas.lineTo(right, y(db));
      canvas.stroke();
      canvas.globalAlpha = 1;
      canvas.fillStyle = colour("quiet");
      canvas.fillText(signless(db, 0), left - 7, y(db));
    }
    canvas.textBaseline = "top";
    for (const [seconds, word] of [
      [60, t("wiring.aMinuteAgo")],
      [30, "30 s"],
      [0, t("wiring.now")],
    ] as const) {
      canvas.textAlign = seconds === 60 ? "left" : seconds ? "center" : "right";
      canvas.fillText(word, right - (seconds / 60) * (right - left), bottom + 5);
    }
    const bar = (right - left) / MINUTE;
    for (let i = 0; i < MINUTE; i++) {
      const db = readings.minute.at(i);
      if (db <= LOWEST) continue;
      const isOver = db >= advice.loudest_dbfs;
      canvas.fillStyle = colour(isOver ? "over" : "voice");
      canvas.fillRect(left + i * bar, y(db), Math.max(1, bar - 0.3), bottom - y(db));
      if (isOver) canvas.fillRect(left + i * bar - 1, 1, 3, 3);
    }
  }, []);
  return (
    <Picture
      follows="figures"
      paint={paint}
      label={t("wiring.microphonePeaksOverTheLast")}
      className="h-[190px] w-full"
    />
  );
}

/** The guided minute, what it found, and what arrives now. */
export function GainView() {
  const wantedS = useLevels((levels) => levels?.gain_minute.wanted_speech_s);
  return (
    <div className="flex gap-3.5">
      <div className="flex min-w-0 flex-1 flex-col gap-3">
        <Panel>
          <h3 className="font-semibold">{t("wiring.setTheMicrophoneGainIn")}</h3>
          <p className="text-[13px] text-quiet">
            {t("wiring.talkAsYouDoLive", { seconds: wantedS ?? 20 })}
          </p>
          <LandingPicture />
          <Minute />
          <Advice />
        </Panel>
        <Panel>
          <h3 className="mb-1 font-semibold">{t("wiring.lastMinute")}</h3>
          <HistoryPicture />
        </Panel>
      </div>
      <div className="flex w-[320px] shrink-0 flex-col gap-3">
        <Arriving />
        <MicrophoneFindings />
      </div>
    </div>
  );
}

const MICROPHONE_CODES = new Set([
  "microphone_clips",
  "microphone_in_one_ear",
  "opposite_polarity",
  "flat_tops",
  "constant_offset",
  "hum",
  "device_gone",
]);

function MicrophoneFindings() {
  const findings = useLevels((levels) => levels?.findings) ?? [];
  const voice = useLive(({ state }) => state && mainVoice(state.rig));
  const isOfMain = ({ code, key }: Finding) =>
    key === code || [voice?.id, voice?.device].includes(key.slice(code.length + 1));
  return (
    <FindingCards
      findings={findings.filter((one) => MICROPHONE_CODES.has(one.code) && isOfMain(one))}
    />
  );
}

function Minute() {
  const minute = useLevels((levels) => levels?.gain_minute);
  if (!minute) return null;
  if (!minute.is_running) {
    return (
      <Button
        look="main"
        className="my-2"
        onClick={() => ask({ type: "measure_gain", is_on: true })}
      >
        {minute.result ? t("wiring.again") : t("wiring.start")}
      </Button>
    );
  }
  return (
    <div className="my-2 flex items-center gap-3 text-[13px]">
      <Progress label={t("wiring.speechHeard")} share={minute.speech_s / minute.wanted_speech_s} />
      <span className="figures">
        {t("wiring.secondsOfTargetSOf", {
          seconds: minute.speech_s.toFixed(0),
          target: minute.wanted_speech_s,
        })}
      </span>
      <span className="text-quiet">
        {t("wiring.tofixedSLeft", {
          toFixed: Math.max(0, minute.longest_s - minute.elapsed_s).toFixed(0),
        })}
      </span>
      <Button onClick={() => ask({ type: "measure_gain", is_on: false })}>
        {t("wiring.stop")}
      </Button>
    </div>
  );
}

function Advice() {
  const isRunning = useLevels((levels) => levels?.gain_minute.is_running);
  const advice = useLevels((levels) => levels?.gain_minute.result ?? levels?.gain);
  if (isRunning) return null;
  const mend = advice?.mend;
  return (
    <div className="flex items-center gap-3 text-[15px]">
      <p role="status" className={advice?.is_clipping ? "text-over-strong" : ""}>
        {advice?.is_clipping && "▲ "}
        {advice?.text ?? "–"}
      </p>
      {mend && (
        <Button look="main" className="ml-auto" onClick={() => mendBy(mend)}>
          {mend.label}
        </Button>
      )}
    </div>
  );
}

/** What comes from the microphone now, whatever it is. */
function Arriving() {
  const microphone = useLevels((levels) => levels?.stations.microphone);
  return (
    <Panel>
      <h3 className="font-semibold">{t("wiring.inputLevel")}</h3>
      <dl className="mt-1 grid grid-cols-[1fr_auto] gap-y-0.5 text-[13px]">
        <dt className="text-quiet">{t("wiring.speechPeaks")}</dt>
        <dd className="figures">{decibels(microphone?.peaks_dbfs)} dBFS</dd>
        <dt className="text-quiet">{t("wiring.highestPeak")}</dt>
        <dd className="figures">{decibels(microphone?.highest_peak_dbfs)} dBFS</dd>
        <dt className="text-quiet">{t("wiring.noiseInPauses")}</dt>
        <dd className="figures">{decibels(microphone?.noise_floor_dbfs)} dBFS</dd>
      </dl>
    </Panel>
  );
}
