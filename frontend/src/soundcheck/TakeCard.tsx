/** One take: what it is, how it looks, what is wrong with it, and taking it again. */

import { FolderInput, Trash2 } from "lucide-react";
import { useRef } from "react";
import type { SoundCheck, TakeKind, TakeState } from "../api/client";
import { IconButton } from "../ui/IconButton";
import { signless } from "../units/format";
import { run, TAKES } from "./takes";
import { t } from "../text/text";

export function TakeCard({ kind, check }: { kind: TakeKind; check: SoundCheck }) {
  const file = useRef<HTMLInputElement>(null);
  const { name, hint } = TAKES[kind];
  const take = check.takes[kind];
  const refusal = check.refusals[kind];
  const isNow = check.recording === kind;
  const isMeasured = check.measuring === kind;
  return (
    <section
      aria-label={name}
      className={`flex min-h-[122px] min-w-0 flex-col rounded-lg bg-panel px-3 py-2 ${isNow ? "outline-2 outline-voice" : ""}`}
    >
      <div className="flex items-baseline justify-between gap-2">
        <h3 className="text-[13px] font-semibold">{name}</h3>
        <p className="figures text-xs font-semibold">{take && levelOf(kind, take)}</p>
      </div>
      <p className="text-xs leading-tight min-[1180px]:truncate text-quiet">{hint}</p>
      {take ? (
        <Outline points={take.figures.outline} kind={kind} />
      ) : (
        <p className="grid h-8 place-items-center text-xs text-quiet">
          {isNow ? t("soundcheck.recordingLower") : t("soundcheck.notRecordedYet")}
        </p>
      )}
      <p role="status" className="mt-0.5 min-h-4 text-xs leading-4">
        {refusal || take?.doubt ? (
          <span className="text-over-strong">▲ {refusal ?? take?.doubt}</span>
        ) : (
          <span className="text-quiet">
            {isMeasured ? t("soundcheck.measuring") : take && summaryOf(kind, take)}
          </span>
        )}
      </p>
      <div className="mt-auto flex items-center justify-end gap-1 pt-0.5">
        {take && (
          <IconButton
            label={t("soundcheck.deleteTheTakeName", { name })}
            onClick={() => void run(`/takes/${kind}`, "DELETE")}
          >
            <Trash2 size={13} />
          </IconButton>
        )}
        <IconButton
          label={t("soundcheck.useAFileInsteadName", { name })}
          onClick={() => file.current?.click()}
        >
          <FolderInput size={13} />
        </IconButton>
        <button
          type="button"
          aria-label={`${take ? t("soundcheck.again") : t("soundcheck.record")}: ${name}`}
          className="min-h-6 rounded-full px-2 text-xs font-semibold text-voice-strong hover:bg-raised disabled:opacity-50"
          disabled={check.recording !== null || isMeasured}
          onClick={() => void run(`/takes/${kind}`, "POST")}
        >
          {take ? t("soundcheck.again") : t("soundcheck.record")}
        </button>
        <input
          ref={file}
          type="file"
          accept="audio/*,.wav,.flac,.ogg"
          aria-label={t("soundcheck.soundFileName", { name })}
          className="hidden"
          onChange={(event) => {
            const given = event.target.files?.[0];
            if (given)
              void run(`/takes/${kind}?name=${encodeURIComponent(given.name)}`, "PUT", given);
            event.target.value = "";
          }}
        />
      </div>
    </section>
  );
}

function levelOf(kind: TakeKind, { figures }: TakeState): string {
  const level =
    kind === "room"
      ? figures.noise_floor_dbfs
      : kind === "keys"
        ? figures.highest_peak_dbfs
        : figures.speech_level_dbfs;
  return level === null ? "–" : `${signless(level, 0)} dBFS`;
}

function summaryOf(kind: TakeKind, { figures }: TakeState): string {
  if (kind === "keys") return t("soundcheck.keystrokeCount", { count: figures.strokes });
  if (kind === "room") {
    const tones = figures.tones.slice(0, 2).map((tone) => `${tone.frequency_hz.toFixed(0)} Hz`);
    return tones.length
      ? t("soundcheck.tonesAtList", { list: tones.join(", ") })
      : t("soundcheck.noSteadyTones");
  }
  const pitch =
    figures.pitch_low_hz && figures.pitch_high_hz
      ? t("soundcheck.pitchLowHighHz", {
          low: figures.pitch_low_hz.toFixed(0),
          high: figures.pitch_high_hz.toFixed(0),
        })
      : "";
  return t("soundcheck.pitchPeakDb", { db: signless(figures.highest_peak_dbfs ?? -99, 0), pitch });
}

/** The take's peaks along its time. */
function Outline({ points, kind }: { points: number[]; kind: TakeKind }) {
  const greatest = Math.max(0.02, ...points);
  const top = points.map((value, i) => `${i},${16 - (15 * value) / greatest}`);
  const bottom = points.map((value, i) => `${i},${16 + (15 * value) / greatest}`).reverse();
  const isVoice = kind !== "room" && kind !== "keys";
  return (
    <svg
      viewBox={`0 0 ${points.length - 1} 32`}
      preserveAspectRatio="none"
      className="h-8 w-full"
      aria-hidden
    >
      <polygon
        points={[...top, ...bottom].join(" ")}
        fill={isVoice ? "var(--voice)" : "var(--noise)"}
        stroke={isVoice ? "var(--voice)" : "var(--noise)"}
        strokeWidth={0.5}
      />
    </svg>
  );
}
