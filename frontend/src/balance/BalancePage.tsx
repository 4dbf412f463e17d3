import { useCallback, type ReactNode } from "react";
import { setSetting } from "../live/link";
import { readings, useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { areaOf, levelGrid, timeAxis, tracePath, yIn } from "../ui/axes";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { colour, Picture } from "../ui/Picture";
import { Setting } from "../ui/Setting";
import { decibels } from "../units/format";

const STRIPS = [
  { name: "voice", path: "voice.fader_db", meter: "viewers_voice" },
  { name: "game", path: "game.trim_db", meter: "game" },
  { name: "music", path: "music.trim_db", meter: "music" },
] as const;

const TOP = 0;
const BOTTOM = -48;

export function BalancePage() {
  return (
    <>
      <div className="mb-2 flex items-baseline gap-3">
        <h2 className="text-[19px] font-semibold">Balance</h2>
        <p className="text-quiet">does the voice stand above the game and the music?</p>
      </div>
      <div className="flex gap-3.5">
        <div className="flex min-w-0 flex-1 flex-col gap-3.5">
          <LastTenSeconds />
          <div className="grid grid-cols-3 gap-3.5">
            {STRIPS.map(({ name, path }) => (
              <Strip key={name} name={name} path={path} />
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
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      const y = (db: number) => yIn(area, db, TOP, BOTTOM);
      levelGrid(canvas, area, TOP, BOTTOM, 12);
      timeAxis(canvas, area);
      const standings = readings.levels?.standings;
      for (const { name, meter } of [...STRIPS].reverse()) {
        const peaks = readings.peak.get(meter);
        if (!peaks) continue;
        tracePath(canvas, area, peaks, y);
        canvas.strokeStyle = colour(name);
        canvas.lineWidth = name === "voice" ? 1.8 : 1.3;
        canvas.stroke();
        const target = standings?.[name]?.target_peaks_dbfs;
        if (target !== undefined && name !== "voice") {
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
    [targets],
  );
  return (
    <Panel title="Peaks in the Viewers feed, dBFS: the band is the voice's target, dashes are the others'">
      <Picture
        paint={paint}
        label="Ten seconds of the peaks of voice, game and music with their targets"
        className="h-[230px] w-full"
      />
    </Panel>
  );
}

type StripName = (typeof STRIPS)[number]["name"];

/** A strip's own words: how it stands against its target. */
function Strip({ name, path }: { name: StripName; path: string }) {
  const levels = useLevels();
  const isMuted = useLive((live) => live.state?.rig[name].is_muted) ?? false;
  const standing = levels?.standings[name];
  const isOff = standing?.verdict === "too loud" || standing?.verdict === "too quiet";
  const title = name[0]?.toUpperCase() + name.slice(1);
  const tone = name === "voice" ? "var(--voice-strong)" : `var(--${name})`;
  return (
    <section
      aria-label={title}
      className="rounded-lg border-l-4 bg-panel p-3"
      style={{ borderColor: `var(--${name})` }}
    >
      <div className="flex items-center justify-between">
        <h3
          className={`text-base font-semibold ${isMuted ? "line-through" : ""}`}
          style={{ color: tone }}
        >
          {title}
        </h3>
        <Button
          look={isMuted ? "main" : "plain"}
          aria-pressed={isMuted}
          aria-label={`Mute ${name}`}
          className="py-1!"
          onClick={() => setSetting(`${name}.is_muted`, !isMuted)}
        >
          {isMuted ? "Muted" : "Mute"}
        </Button>
      </div>
      <Setting
        path={path}
        colour={`var(--${name})`}
        label={`${title} ${name === "voice" ? "fader" : "trim"}`}
        shortLabel={name === "voice" ? "Fader" : "Trim"}
      />
      <dl className="mt-1 grid grid-cols-[auto_1fr] text-[13px]">
        <Row label="Peaks">{decibels(levels?.peaks_dbfs[name])} dBFS</Row>
        {name !== "voice" && <Row label="Clearance">{decibels(levels?.clearance_db[name])} dB</Row>}
      </dl>
      <p className={`mt-1 text-[13px] ${isOff ? "font-semibold text-voice-strong" : "text-quiet"}`}>
        {isOff && "▲ "}
        {standing?.text ?? "–"}
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
      <Setting path="viewers.ceiling_dbtp" />
    </Panel>
  );
}

function Targets() {
  return (
    <Panel>
      <h3 className="font-semibold">Targets</h3>
      {["voice_peaks_dbfs", "voice_tolerance_db", "game_clearance_db", "music_clearance_db"].map(
        (name) => (
          <Setting key={name} path={`targets.${name}`} />
        ),
      )}
    </Panel>
  );
}
