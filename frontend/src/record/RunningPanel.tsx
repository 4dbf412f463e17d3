/** What is being recorded, as it grows; or what the next recording would be. */

import { Circle, Square } from "lucide-react";
import { useCallback, useEffect, useState } from "react";
import { fetchRecordings, type Overview, type RecordingState } from "../api/client";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { colour, Picture, TEXT_FONT } from "../ui/Picture";
import { clock, decibels, diskSize, roughly } from "../units/format";
import { MarksMenu } from "./MarksMenu";
import { paintFlag, paintWave, trackColour } from "./waves";
import { t } from "../text/text";

const POLL_MS = 2000;
const POINTS = 260;
const LANE_PX = 24;
const FLAGS_PX = 15;
/** So much of the width is drawn by now; the rest is to come. */
const NOW_SHARE = 0.9;

export function RunningPanel() {
  const recording = useLive((live) => live.recording);
  const facts = useLive((live) => live.state?.record);
  const format = useLive((live) => live.state?.rig.recording.format ?? "flac");
  const stage = recording?.stage ?? "off";
  const isOn = stage !== "off";
  return (
    <section aria-label={t("record.recording")} className="rounded-lg bg-panel p-3.5">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        <button
          type="button"
          disabled={stage === "ending" || !facts?.chosen.length}
          title={isOn ? t("record.stopTheRecordingShiftR") : t("record.recordR")}
          onClick={() => ask({ type: isOn ? "stop_recording" : "start_recording" })}
          className={`flex items-center gap-2.5 rounded-full px-4 py-2 text-[13px] font-semibold disabled:opacity-50 ${
            isOn ? "bg-over text-on-over" : "bg-voice-strong text-on-voice"
          }`}
        >
          {isOn ? (
            <Square size={13} fill="currentColor" />
          ) : (
            <Circle size={13} fill="currentColor" />
          )}
          {stage === "ending"
            ? t("record.finishing")
            : isOn
              ? t("record.stopRecording")
              : t("record.record")}
        </button>
        <p
          className="figures text-[25px] font-semibold"
          role="timer"
          aria-label={t("record.recordedSoFar")}
        >
          {clock(recording?.seconds ?? 0)}
        </p>
        <div className="min-w-0 text-[13px]">
          <p className="truncate font-semibold">
            {isOn
              ? recording?.title || t("record.starting")
              : facts?.preview || t("record.noNameYet")}
          </p>
          <p className="text-xs text-quiet">
            {FORMATS[format]}
            {isOn && recording
              ? t("record.soFar", {
                  size: diskSize(recording.size_bytes),
                  left: roomLeft(recording.left_s),
                })
              : roomLeft(facts?.free_s)}
          </p>
        </div>
        <span className="ml-auto" />
        {isOn && recording && <Missing recording={recording} />}
        {isOn && recording && (
          <MarksMenu
            marks={recording.marks}
            onName={(number, name) => ask({ type: "name_mark", number, name })}
          />
        )}
      </div>
      {facts?.preview_trouble && (
        <p role="alert" className="mt-2 text-[13px] text-over-strong">
          ▲ {facts.preview_trouble}
        </p>
      )}
      {isOn && recording ? <Lanes recording={recording} /> : <WhatWouldBe />}
    </section>
  );
}

const FORMATS = {
  flac: t("record.flac"),
  wav: t("record.wav"),
  opus: t("record.opusSmall48Khz"),
};

const roomLeft = (seconds: number | null | undefined) =>
  seconds === null || seconds === undefined
    ? ""
    : t("record.diskSpaceForTime", { time: roughly(seconds) });

function Missing({ recording }: { recording: RecordingState }) {
  if (recording.lost_s > 0) {
    return (
      <p className="text-[13px] text-over-strong">
        {t("record.secondsSMissing", { seconds: recording.lost_s.toFixed(1) })}
      </p>
    );
  }
  return recording.is_late ? (
    <p className="text-[13px] text-over-strong">{t("record.slowDisk")}</p>
  ) : null;
}

function WhatWouldBe() {
  const offered = useLive((live) => live.state?.record.offered ?? NONE);
  const chosen = useLive((live) => live.state?.record.chosen ?? NONE);
  const tracks = offered.filter(({ source }) => chosen.includes(source));
  return (
    <ul
      aria-label={t("record.tracksToRecord")}
      className="mt-2.5 flex flex-wrap gap-x-5 gap-y-1 text-[13px]"
    >
      {tracks.map(({ source, name, role }) => (
        <li key={source} style={{ color: textColour(role) }} className="font-semibold">
          {name}
        </li>
      ))}
      {!tracks.length && <li className="text-quiet">{t("record.noTrackIsSelectedOpen")}</li>}
    </ul>
  );
}

const NONE: never[] = [];
const textColour = (role: string) =>
  role === "voice" ? "var(--voice-strong)" : `var(--${trackColour(role)})`;

function usePeaks(id: string): Overview | null {
  const [peaks, setPeaks] = useState<Overview | null>(null);
  useEffect(() => {
    if (!id) return;
    let isWanted = true;
    const fetchOnce = () =>
      fetchRecordings<Overview>(`/${id}/peaks?points=${POINTS}`).then(
        (found) => isWanted && setPeaks(found),
        () => undefined, // The next one may be there: it has just begun, or is being closed.
      );
    void fetchOnce();
    const timer = window.setInterval(() => void fetchOnce(), POLL_MS);
    return () => {
      isWanted = false;
      window.clearInterval(timer);
    };
  }, [id]);
  return peaks;
}

function Lanes({ recording }: { recording: RecordingState }) {
  const peaks = usePeaks(recording.id);
  const { tracks, marks, seconds } = recording;
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number) => {
      const drawn = width * NOW_SHARE;
      tracks.forEach(({ role, source }, lane) => {
        const top = FLAGS_PX + lane * LANE_PX + 2;
        canvas.fillStyle = colour("ground");
        canvas.beginPath();
        canvas.roundRect(0, top, width, LANE_PX - 4, 4);
        canvas.fill();
        const column = peaks?.sources.indexOf(source) ?? -1;
        if (!peaks || column < 0) return;
        const share = seconds > 0 ? Math.min(1, peaks.to_s / seconds) : 0;
        paintWave(
          canvas,
          { left: 2, width: (drawn - 4) * share, top: top + 2, height: LANE_PX - 8 },
          peaks.peaks.map((row) => row[column] ?? 0),
          trackColour(role),
        );
      });
      if (seconds <= 0) return;
      const bottom = FLAGS_PX + tracks.length * LANE_PX;
      canvas.font = TEXT_FONT;
      canvas.textBaseline = "top";
      let free = -Infinity;
      for (const { frame, name, by } of marks) {
        const x = (frame / 48_000 / seconds) * drawn;
        canvas.fillStyle = colour("text");
        canvas.globalAlpha = by === "you" ? 1 : 0.5;
        canvas.fillRect(x, 2, 1.2, bottom);
        paintFlag(canvas, x, 2, by === "you");
        if (x > free && name) {
          canvas.fillText(name, x + 11, 0);
          free = x + 20 + canvas.measureText(name).width;
        }
        canvas.globalAlpha = 1;
      }
    },
    [peaks, tracks, marks, seconds],
  );
  const height = FLAGS_PX + tracks.length * LANE_PX;
  return (
    <div className="mt-1 grid grid-cols-[150px_minmax(0,1fr)_96px] gap-x-3">
      <ul aria-hidden className="text-[13px] font-semibold" style={{ paddingTop: FLAGS_PX }}>
        {tracks.map(({ source, name, role }) => (
          <li
            key={source}
            className="truncate"
            style={{ height: LANE_PX, lineHeight: `${LANE_PX}px`, color: textColour(role) }}
          >
            {name}
          </li>
        ))}
      </ul>
      <div style={{ height }}>
        <Picture
          paint={paint}
          label={t("record.waveformsOfTrackTracks", { tracks: tracks.length, marks: marks.length })}
          className="size-full"
        />
      </div>
      <ul
        aria-label={t("record.peakHoldDbfs")}
        className="text-xs"
        style={{ paddingTop: FLAGS_PX }}
      >
        {tracks.map(({ source, name, highest_dbfs: highest, clipped }) => (
          <li
            key={source}
            className="flex justify-between text-quiet"
            style={{ height: LANE_PX, lineHeight: `${LANE_PX}px` }}
          >
            <span className="sr-only">{name}</span>
            {clipped ? (
              <span className="text-over-strong">{t("record.clipping")}</span>
            ) : (
              <span>{t("record.peak")}</span>
            )}
            <span className="figures text-text">{highest <= -119 ? "–" : decibels(highest)}</span>
          </li>
        ))}
      </ul>
      <span />
      <p className="figures flex justify-between pr-[10%] text-xs text-quiet">
        <span>0:00</span>
        <span>{t("record.now")}</span>
      </p>
    </div>
  );
}
