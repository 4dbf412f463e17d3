import { useCallback, type ReactNode } from "react";
import type { InputSettings } from "../api/client";
import { columnsOf, toViewers } from "../levelpath/stations";
import { setSetting } from "../live/link";
import { readings, useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { areaOf, levelGrid, timeAxis, tracePath, yIn } from "../ui/axes";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { colour, Picture } from "../ui/Picture";
import { Setting } from "../ui/Setting";
import { roleColour, roleText } from "../ui/roles";
import { decibels } from "../units/format";

const TOP = 0;
const BOTTOM = -48;

export function BalancePage() {
  const inputs = useLive((live) => live.state?.rig.inputs) ?? [];
  const chained = useLive((live) => live.state?.rig.chained);
  return (
    <>
      <div className="mb-2 flex items-baseline gap-3">
        <h2 className="text-[19px] font-semibold">Balance</h2>
        <p className="text-quiet">does the voice stand above the rest?</p>
      </div>
      <div className="flex gap-3.5">
        <div className="flex min-w-0 flex-1 flex-col gap-3.5">
          <LastTenSeconds />
          <div className="grid grid-cols-[repeat(auto-fill,minmax(190px,1fr))] gap-3.5">
            {inputs.map((input) => (
              <Strip key={input.id} input={input} isChained={input.id === chained} />
            ))}
          </div>
        </div>
        <div className="flex w-[270px] shrink-0 flex-col gap-3.5">
          <Feed />
          <Targets />
        </div>
      </div>
    </>
  );
}

function LastTenSeconds() {
  const targets = useLive((live) => live.state?.rig.targets);
  const rig = useLive((live) => live.state?.rig);
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      const y = (db: number) => yIn(area, db, TOP, BOTTOM);
      levelGrid(canvas, area, TOP, BOTTOM, 12);
      timeAxis(canvas, area);
      const standings = readings.levels?.standings;
      for (const { id, role } of rig ? columnsOf(rig).reverse() : []) {
        const peaks = readings.peak.get(toViewers(id));
        if (!peaks) continue;
        tracePath(canvas, area, peaks, y);
        canvas.strokeStyle = colour(roleColour(role));
        canvas.lineWidth = role === "voice" ? 1.8 : 1.3;
        canvas.stroke();
        const target = standings?.[id]?.target_peaks_dbfs;
        if (target !== undefined && id !== rig?.chained) {
          canvas.setLineDash([6, 4]);
          canvas.beginPath();
          canvas.moveTo(area.left, y(target));
          canvas.lineTo(area.right, y(target));
          canvas.stroke();
          canvas.setLineDash([]);
        }
      }
      if (targets) {
        const { voice_peaks_dbfs: peaks, voice_tolerance_db: tolerance } = targets;
        canvas.fillStyle = colour("voice");
        canvas.globalAlpha = 0.16;
        const top = y(peaks + tolerance);
        canvas.fillRect(area.left, top, area.right - area.left, y(peaks - tolerance) - top);
        canvas.globalAlpha = 1;
      }
    },
    [targets, rig],
  );
  return (
    <Panel title="Peaks in the Viewers feed, dBFS: the band is the voice's target, dashes are the others'">
      <Picture
        paint={paint}
        label="Ten seconds of the peaks of every input with their targets"
        className="h-[230px] w-full"
      />
    </Panel>
  );
}

type StripProps = { input: InputSettings; isChained: boolean };

/** A strip's own words: how it stands against its target. */
function Strip({ input, isChained }: StripProps) {
  const levels = useLevels();
  const { id, name, role, is_muted: isMuted } = input;
  const standing = levels?.standings[id];
  const isOff = standing?.verdict === "too loud" || standing?.verdict === "too quiet";
  return (
    <section
      aria-label={name}
      className="min-w-0 rounded-lg border-l-4 bg-panel p-3"
      style={{ borderColor: `var(--${roleColour(role)})` }}
    >
      <div className="flex items-center justify-between gap-2">
        <h3
          className={`truncate text-base font-semibold ${isMuted ? "line-through" : ""}`}
          style={{ color: roleText(role) }}
        >
          {name}
        </h3>
        <Button
          look={isMuted ? "main" : "plain"}
          aria-pressed={isMuted}
          aria-label={`Mute ${name}`}
          className="py-1!"
          onClick={() => setSetting(`inputs.${id}.is_muted`, !isMuted)}
        >
          {isMuted ? "Muted" : "Mute"}
        </Button>
      </div>
      <Setting
        path={`inputs.${id}.fader_db`}
        colour={`var(--${roleColour(role)})`}
        label={`${name} fader`}
        shortLabel="Fader"
      />
      <dl className="mt-1 grid grid-cols-[auto_1fr] text-[13px]">
        <Row label="Peaks">{decibels(levels?.peaks_dbfs[id])} dBFS</Row>
        {!isChained && <Row label="Clearance">{decibels(levels?.clearance_db[id])} dB</Row>}
      </dl>
      <p className={`mt-1 text-[13px] ${isOff ? "font-semibold text-voice-strong" : "text-quiet"}`}>
        {isOff && "▲ "}
        {standing?.text ?? "not heard by viewers"}
      </p>
    </section>
  );
}

function Row({ label, children }: { label: string; children: ReactNode }) {
  return (
    <>
      <dt className="text-quiet">{label}</dt>
      <dd className="figures text-right whitespace-nowrap">{children}</dd>
    </>
  );
}

function Feed() {
  const levels = useLevels();
  return (
    <Panel>
      <h3 className="font-semibold">The whole, for viewers</h3>
      <dl className="mt-1 grid grid-cols-[auto_1fr] text-[13px]">
        <Row label="Loudness, 0.4 s">{decibels(levels?.momentary_lufs)} LUFS</Row>
        <Row label="Loudness, 3 s">{decibels(levels?.short_term_lufs)} LUFS</Row>
        <Row label="True peak, 10 s">{decibels(levels?.true_peak_dbtp)} dBTP</Row>
      </dl>
      <Setting path="feeds.viewers.ceiling_dbtp" />
    </Panel>
  );
}

const TARGETS = [
  "voice_peaks_dbfs",
  "voice_tolerance_db",
  "game_clearance_db",
  "music_clearance_db",
  "call_clearance_db",
  "other_clearance_db",
];

function Targets() {
  return (
    <Panel>
      <h3 className="font-semibold">Targets</h3>
      {TARGETS.map((name) => (
        <Setting key={name} path={`targets.${name}`} />
      ))}
    </Panel>
  );
}
