import { Keyboard, Moon, Redo2, Sun, Undo2 } from "lucide-react";
import type { ReactNode } from "react";
import { useLevels } from "../live/readings";
import { redo, undo } from "../live/link";
import { useLive } from "../live/store";
import { decibels } from "../units/format";
import { setTheme, useView } from "../view";
import { forgetColours } from "../ui/Picture";
import { KeysDialog } from "./KeysDialog";

export function TopBar() {
  const state = useLive((live) => live.state);
  const levels = useLevels();
  return (
    <header className="flex min-h-14 items-center gap-5 border-b border-line px-[18px]">
      <div className="min-w-[92px]">
        <h1 className="text-[15px] leading-tight font-semibold">{state?.rig.name ?? "Goshawk"}</h1>
        <SavedLine />
      </div>
      <Lamp />
      <div className="flex-1" />
      <Clearance name="game" />
      <Clearance name="music" />
      <Figure label="Delay" title="From the microphone to the viewers: the chain and the ceiling">
        {levels ? levels.latency_ms.toFixed(1) : "–"}
        <Unit>ms</Unit>
      </Figure>
      <Health />
      <div className="flex items-center gap-1">
        <Icon label="Undo" isOff={!state?.can_undo} onClick={undo}>
          <Undo2 size={17} />
        </Icon>
        <Icon label="Redo" isOff={!state?.can_redo} onClick={redo}>
          <Redo2 size={17} />
        </Icon>
        <ThemeSwitch />
        <KeysDialog>
          <button
            type="button"
            aria-label="Keys"
            title="Keys"
            className="rounded p-1.5 hover:bg-raised"
          >
            <Keyboard size={17} />
          </button>
        </KeysDialog>
      </div>
    </header>
  );
}

function SavedLine() {
  const status = useLive((live) => live.status);
  const isSaved = useLive((live) => live.state?.is_saved ?? true);
  if (status === "lost") return <p className="text-xs text-over-strong">▲ connection lost</p>;
  if (status === "connecting") return <p className="text-xs text-quiet">connecting …</p>;
  return <p className="text-xs text-quiet">{isSaved ? "saved" : "trying …"}</p>;
}

/** Whether the microphone reaches the viewers now: measured at the feed, not read off a switch. */
function Lamp() {
  const levels = useLevels();
  const state = useLive((live) => live.state);
  const isHeard = levels?.voice_reaches_viewers ?? false;
  const sentence = !levels ? "cannot be told" : isHeard ? "hear you" : "do not hear you";
  return (
    <p role="status" className="flex items-center gap-2 text-[13px]">
      <span
        aria-hidden
        className={`size-3 rounded-full ${isHeard ? "bg-voice" : "border-2 border-quiet"}`}
      />
      <span className={!levels || isHeard ? "" : "text-quiet"}>
        <b className={state?.rig.voice.is_muted ? "line-through" : ""}>Viewers</b> {sentence}
      </span>
    </p>
  );
}

function Figure({
  label,
  title,
  children,
}: {
  label: string;
  title?: string;
  children: ReactNode;
}) {
  return (
    <div title={title}>
      <p className="text-xs text-quiet">{label}</p>
      <p className="figures text-[17px] leading-tight font-semibold">{children}</p>
    </div>
  );
}

function Clearance({ name }: { name: "game" | "music" }) {
  const levels = useLevels();
  const wanted = useLive((live) => live.state?.rig.targets[`${name}_clearance_db`]);
  const standing = levels?.standings[name];
  const isOff = standing && standing.verdict !== "on target" && standing.verdict !== "waiting";
  return (
    <Figure label={`Over ${name}`} title={standing?.text}>
      <span className={isOff ? "text-voice-strong" : ""}>
        {decibels(levels?.clearance_db[name])}
        <Unit>dB</Unit>
      </span>
      <small className="ml-1.5 text-xs font-normal text-quiet">
        {isOff ? "wants " : ""}
        {wanted}
      </small>
    </Figure>
  );
}

function Health() {
  const levels = useLevels();
  const isRunning = useLive((live) => live.state?.is_engine_running);
  if (!levels || !isRunning) {
    return (
      <Figure label="Engine">
        <span className="text-sm text-over-strong">starting</span>
      </Figure>
    );
  }
  const { load_percent, late_in_last_minute: late } = levels.engine;
  return (
    <Figure
      label={late ? `Engine, ${late} late` : "Engine"}
      title="Share of each block's time; late: blocks of the last minute that came too late"
    >
      {load_percent.toFixed(0)}
      <Unit>%</Unit>
    </Figure>
  );
}

function Unit({ children }: { children: string }) {
  return <small className="ml-1 font-sans text-xs font-normal">{children}</small>;
}

type IconProps = { label: string; isOff?: boolean; onClick: () => void; children: ReactNode };

function Icon({ label, isOff, onClick, children }: IconProps) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      disabled={isOff}
      onClick={onClick}
      className="rounded p-1.5 hover:bg-raised disabled:opacity-40"
    >
      {children}
    </button>
  );
}

function ThemeSwitch() {
  const theme = useView((view) => view.theme);
  const other = theme === "dusk" ? "daylight" : "dusk";
  const change = () => {
    setTheme(other);
    forgetColours();
  };
  return (
    <Icon label={`Use the ${other} theme`} onClick={change}>
      {theme === "dusk" ? <Sun size={17} /> : <Moon size={17} />}
    </Icon>
  );
}
