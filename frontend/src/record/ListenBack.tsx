/** One recording: its picture, its sound three ways or track by track, its figures, and what can be done with a piece of it. */

import { Pause, Play, Repeat } from "lucide-react";
import { useEffect, useState } from "react";
import { askRecordings, type RecordingDetail } from "../api/client";
import { tell, useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Select } from "../ui/Select";
import { clock, decibels } from "../units/format";
import { HandOverMenu } from "./HandOver";
import { useFetched } from "./kept";
import { MarksMenu } from "./MarksMenu";
import {
  hear,
  openRecording,
  pause,
  seek,
  togglePlay,
  usePlayer,
  type Way,
} from "../live/recordingPlayer";
import { UseMenu } from "./UsePiece";
import { WholeWave } from "./WholeWave";
import { t } from "../text/text";

const WAYS: { value: Way; label: string }[] = [
  { value: "came", label: t("record.raw") },
  { value: "was", label: t("record.asBroadcast") },
  { value: "now", label: t("record.currentChain") },
];

export function ListenBack({ id }: { id: string }) {
  const changes = useLive((live) => live.state?.record.changes);
  const { found, trouble } = useFetched<RecordingDetail>(`/${id}`, changes);
  useEffect(() => {
    if (found) openRecording(found.id, found.seconds);
  }, [found]);
  useEffect(() => pause, []);
  if (trouble) {
    return (
      <section aria-label={t("record.playback")} className="rounded-lg bg-panel p-4 text-[13px]">
        <p role="alert">▲ {trouble}</p>
      </section>
    );
  }
  if (!found) return <section aria-label={t("record.playback")} className="rounded-lg bg-panel" />;
  return <Shown one={found} />;
}

function Shown({ one }: { one: RecordingDetail }) {
  const { isPlaying, at, way, source, piece, isLooping } = usePlayer();
  const has = (wanted: string) => one.tracks.some((track) => track.source === wanted);
  const cameThere = one.tracks.some(
    (track) => track.source.startsWith("came:") && track.role === "voice",
  );
  const ways = WAYS.filter(({ value }) => (value === "was" ? has("viewers") : cameThere));
  const shownWay = ways.some(({ value }) => value === way) ? way : (ways[0]?.value ?? "was");
  const alone = source || (ways.length ? "" : (one.tracks[0]?.source ?? ""));
  useEffect(() => {
    if (alone !== source || shownWay !== way) hear({ source: alone, way: shownWay });
  }, [alone, source, shownWay, way]);
  const nameMark = (number: number, name: string | null) =>
    void askRecordings(`/${one.id}/marks/${number}`, "PATCH", { name }).catch(tell);
  return (
    <section aria-label={t("record.playback")} className="min-w-0 rounded-lg bg-panel p-3.5">
      <div className="mb-2 flex flex-wrap items-center gap-1.5">
        <h3 className="min-w-0 truncate font-semibold" title={one.folder}>
          {one.title}
        </h3>
        <span className="text-xs text-quiet">{t("record.playback")}</span>
        <span className="ml-auto" />
        <MarksMenu marks={one.marks} onName={nameMark} onJump={seek} />
        <HandOverMenu one={one} piece={piece} />
        <UseMenu one={one} piece={piece} />
      </div>
      {one.said && <p className="mb-1.5 text-[13px]">▲ {one.said}</p>}
      <WholeWave one={one} source={alone || trackOf(one, shownWay)} />
      <div className="mt-2.5 flex flex-wrap items-center gap-x-3 gap-y-2">
        <button
          type="button"
          aria-label={isPlaying ? t("record.pause") : t("record.play")}
          title={t("record.playedOnlyHereOnThis")}
          onClick={togglePlay}
          className="grid size-8 place-items-center rounded-full bg-voice-strong text-on-voice"
        >
          {isPlaying ? (
            <Pause size={15} fill="currentColor" />
          ) : (
            <Play size={15} fill="currentColor" />
          )}
        </button>
        <p className="figures text-[13px]">
          {clock(at)}{" "}
          <span className="text-quiet">{t("record.ofTotal", { total: clock(one.seconds) })}</span>
        </p>
        {ways.length > 0 && (
          <Choice
            label={t("record.playbackLoudness")}
            value={alone ? "" : shownWay}
            options={ways}
            onChange={(next) => next && hear({ way: next as Way, source: "" })}
          />
        )}
        <span className="text-xs text-quiet">
          {alone ? t("record.originalLevel") : t("record.matchedLoudness")}
        </span>
        <Select
          label={t("record.soloTrack")}
          value={alone || "none"}
          groups={[
            { options: [{ value: "none", label: t("record.soloTrackChoice") }] },
            {
              options: one.tracks.map((track) => ({ value: track.source, label: track.name })),
            },
          ]}
          onChange={(value) => hear({ source: value === "none" ? "" : value })}
        />
      </div>
      <PieceRow one={one} at={at} piece={piece} isLooping={isLooping} />
      <FiguresRow one={one} />
      <Note key={one.note} one={one} />
    </section>
  );
}

/** The track whose waveform stands for one of the three ways. */
function trackOf(one: RecordingDetail, way: Way): string {
  if (way === "was") return "viewers";
  return (
    one.tracks.find(({ source, role }) => source.startsWith("came:") && role === "voice")?.source ??
    ""
  );
}

type PieceProps = {
  one: RecordingDetail;
  at: number;
  piece: { from: number; to: number } | null;
  isLooping: boolean;
};

/** A piece of it: from here, to here, over and over. By mouse it is drawn on the waveform. */
function PieceRow({ one, at, piece, isLooping }: PieceProps) {
  const from = (place: number) =>
    hear({ piece: { from: place, to: Math.max(place + 1, piece?.to ?? one.seconds) } });
  const to = (place: number) =>
    hear({ piece: { from: Math.min(piece?.from ?? 0, Math.max(0, place - 1)), to: place } });
  return (
    <div className="mt-2 flex flex-wrap items-center gap-1.5 text-[13px]">
      <Button title={t("record.startTheSelectionAtThe")} onClick={() => from(at)}>
        {t("record.fromHere")}
      </Button>
      <Button title={t("record.endTheSelectionAtThe")} onClick={() => to(at)}>
        {t("record.toHere")}
      </Button>
      {piece ? (
        <>
          <span className="figures text-xs">
            {t("record.fromToTo", { from: clock(piece.from), to: clock(piece.to) })}
          </span>
          <Button
            aria-pressed={isLooping}
            className={`flex items-center gap-1.5 ${isLooping ? "bg-voice-strong! text-on-voice!" : ""}`}
            onClick={() => hear({ isLooping: !isLooping })}
          >
            <Repeat size={13} /> {t("record.loop")}
          </Button>
          <Button onClick={() => hear({ piece: null, isLooping: false })}>
            {t("record.wholeRecording")}
          </Button>
        </>
      ) : (
        <span className="text-xs text-quiet">{t("record.orDragOnTheWaveform")}</span>
      )}
    </div>
  );
}

function FiguresRow({ one }: { one: RecordingDetail }) {
  const figures = one.figures;
  const shown = [
    { label: t("record.loudness"), value: figures?.loudness_lufs, unit: "LUFS", digits: 1 },
    { label: t("record.voiceAboveGame"), value: figures?.clearance_db, unit: "dB", digits: 1 },
    { label: t("record.highestTruePeak"), value: figures?.true_peak_dbtp, unit: "dBTP", digits: 1 },
    { label: t("record.intelligibility"), value: figures?.intelligibility, unit: "", digits: 2 },
  ];
  return (
    <dl className="mt-3 grid grid-cols-4 gap-2 border-t border-line pt-2">
      {shown.map(({ label, value, unit, digits }) => (
        <div key={label}>
          <dt className="text-xs text-quiet">{label}</dt>
          <dd className="figures text-[15px] font-semibold">
            {decibels(value, digits)}{" "}
            <span className="text-xs font-normal text-quiet">
              {value === null || value === undefined ? "" : unit}
            </span>
          </dd>
        </div>
      ))}
    </dl>
  );
}

function Note({ one }: { one: RecordingDetail }) {
  const [note, setNote] = useState(one.note);
  const save = () => {
    if (note !== one.note) askRecordings(`/${one.id}`, "PATCH", { note }).catch(tell);
  };
  return (
    <textarea
      aria-label={t("record.note")}
      placeholder={t("record.noteWhatWentWellWhat")}
      value={note}
      rows={1}
      maxLength={2000}
      onChange={(event) => setNote(event.target.value)}
      onBlur={save}
      className="mt-2 block w-full resize-y rounded bg-raised px-2 py-1 text-[13px]"
    />
  );
}
