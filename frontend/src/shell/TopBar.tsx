import { FEED_LABELS } from "../api/facts.gen";
import { useEffect, useState, type ReactNode } from "react";
import type { FeedName } from "../api/client";
import { setSetting } from "../live/link";
import { isHeard } from "../live/outcome";
import { useLevels, useReadings } from "../live/readings";
import { useLive } from "../live/store";
import { decibels } from "../units/format";
import { FEEDS, reachSentence, useReach } from "../live/reach";
import { ROLE_LABELS } from "../ui/roles";
import { t } from "../text/text";

export function TopBar() {
  const state = useLive((live) => live.state);
  return (
    <header className="flex min-h-14 items-center gap-2.5 border-b border-line px-[18px] min-[1180px]:gap-4">
      <div className="min-w-[76px]">
        <h1 className="text-[15px] leading-tight font-semibold">
          {state?.rig.name ?? t("shell.goshawk")}
        </h1>
        <SavedLine />
      </div>
      <div role="group" aria-label={t("shell.whoHearsTheMicrophone")} className="flex flex-1 gap-1">
        {FEEDS.map((feed) => (
          <Lamp key={feed} feed={feed} />
        ))}
      </div>
      <SpokenReach />
      <Clearance role="game" />
      <Clearance role="music" />
      <Delay />
      <Health />
    </header>
  );
}

function Delay() {
  const delay = useLevels((levels) => levels?.delay_ms.viewers);
  return (
    <Figure label={t("shell.delay")} title={t("shell.delayFromTheMicrophoneTo")}>
      {delay === undefined ? "–" : delay.toFixed(delay < 100 ? 1 : 0)}
      <Unit>ms</Unit>
    </Figure>
  );
}

function SavedLine() {
  const status = useLive((live) => live.status);
  const isSaved = useLive((live) => live.state?.is_saved ?? true);
  const trouble = useLive((live) => live.state?.save_trouble ?? "");
  const isHeard = useIsHeard();
  if (status === "lost")
    return <p className="text-xs text-over-strong">{t("shell.connectionLost")}</p>;
  if (status === "connecting") return <p className="text-xs text-quiet">{t("shell.connecting")}</p>;
  if (!isHeard) return <p className="text-xs text-over-strong">{t("shell.notAudibleYet")}</p>;
  if (trouble) {
    return (
      <p title={trouble} className="text-xs text-over-strong">
        {t("shell.notSaved")}
      </p>
    );
  }
  return <p className="text-xs text-quiet">{isSaved ? t("shell.saved") : t("shell.trying")}</p>;
}

const UNHEARD_MS = 400;

/** Whether the newest state is heard, or may be soon. */
function useIsHeard(): boolean {
  const plan = useLive((live) => live.state?.plan);
  const [wasHeard, setHeard] = useState(true);
  useEffect(() => {
    if (plan === undefined) return;
    const began = performance.now();
    const look = () => {
      const isSeen = isHeard();
      setHeard(isSeen || performance.now() - began < UNHEARD_MS);
      if (isSeen) window.clearInterval(timer);
    };
    const timer = window.setInterval(look, 100);
    return () => window.clearInterval(timer);
  }, [plan]);
  return wasHeard;
}

const SETTLED_MS = 1500;

/** Who hears you, said once it has settled: silence between words is no news. */
function SpokenReach() {
  const rig = useLive((live) => live.state?.rig);
  const now = useReadings(({ reach }) =>
    Object.keys(reach).length
      ? FEEDS.map((feed) => {
          const measured = reach[feed] === "open" ? "hears" : reach[feed];
          return `${FEED_LABELS[feed]}: ${reachSentence(feed, measured, rig)}`;
        }).join(", ")
      : "",
  );
  const [said, setSaid] = useState("");
  useEffect(() => {
    const timer = window.setTimeout(() => setSaid(now), SETTLED_MS);
    return () => window.clearTimeout(timer);
  }, [now]);
  return (
    <p role="status" className="sr-only">
      {said}
    </p>
  );
}

/** Whether the microphone reaches a listener now: measured in the feed, not read off a switch. */
function Lamp({ feed }: { feed: FeedName }) {
  const reach = useReach(feed);
  const rig = useLive((live) => live.state?.rig);
  const isSent = rig?.inputs.find(({ id }) => id === rig.chained)?.sends[feed].is_heard ?? false;
  const isLooping = useLive((live) => live.state?.loop.is_on ?? false);
  const isReplaying = useLive((live) => live.balance?.replay.is_on ?? false);
  const told = useLive((live) => live.watch?.told);
  const isTold = told?.rule === "talk_unheard" && told.subject.split("+").includes(feed);
  const isHeard = reach === "hears";
  const label = FEED_LABELS[feed];
  return (
    <button
      type="button"
      aria-pressed={isSent}
      disabled={!rig?.chained}
      title={
        isSent
          ? t("shell.muteYourVoiceInName", { name: label })
          : t("shell.sendYourVoiceToName", { name: label })
      }
      onClick={() => rig && setSetting(`inputs.${rig.chained}.sends.${feed}.is_heard`, !isSent)}
      className={`flex items-center gap-1.5 rounded-md px-1.5 py-1 text-left text-[13px] leading-tight min-[1440px]:whitespace-nowrap ${
        isTold ? "bg-over-strong text-on-over" : "hover:bg-raised"
      }`}
    >
      <span
        aria-hidden
        className={`relative size-3 shrink-0 rounded-full ${
          isHeard ? "bg-voice" : `border-2 ${reach === "open" ? "border-voice" : "border-quiet"}`
        }`}
      >
        {reach === "closed" && (
          <span className="absolute top-1/2 -left-1 h-[1.5px] w-4 -rotate-45 bg-quiet" />
        )}
      </span>
      <span className={isHeard || reach === "open" || isTold ? "" : "text-quiet"}>
        {isTold && <span aria-hidden>▲ </span>}
        <b>{label}</b>{" "}
        {feed === "you" && isReplaying
          ? t("shell.hearTheReplay")
          : feed === "you" && isLooping && isHeard
            ? t("shell.hearTheLoop")
            : reachSentence(feed, reach, rig)}
      </span>
    </button>
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
    <div title={title} className="whitespace-nowrap">
      <p className="text-xs text-quiet">{label}</p>
      <p className="figures text-[16px] leading-tight font-semibold">{children}</p>
    </div>
  );
}

/** The least clearance over the inputs of one role. */
function Clearance({ role }: { role: "game" | "music" }) {
  const clearances = useLevels((levels) => levels?.clearance_db) ?? {};
  const standings = useLevels((levels) => levels?.standings);
  const rig = useLive((live) => live.state?.rig);
  const wanted = rig?.targets[`${role}_clearance_db`];
  const own = rig?.inputs.filter((input) => input.role === role) ?? [];
  if (!own.length) return null;
  const least = own.reduce((a, b) =>
    (clearances[a.id] ?? Infinity) <= (clearances[b.id] ?? Infinity) ? a : b,
  );
  const standing = standings?.[least.id];
  const isOff = standing && standing.verdict !== "on target" && standing.verdict !== "waiting";
  return (
    <Figure label={t("shell.aboveName", { name: ROLE_LABELS[role] })} title={standing?.text}>
      <span className={isOff ? "text-voice-strong" : ""}>
        {decibels(clearances[least.id])}
        <Unit>dB</Unit>
      </span>
      <small className="ml-1 text-xs font-normal text-quiet">
        {isOff && <span className="max-[1180px]:sr-only">{t("shell.target")} </span>}
        {wanted}
      </small>
    </Figure>
  );
}

/** Figures that come less often than this are told to do so. */
const THINNED_S = 0.5;

function Health() {
  const engine = useLevels((levels) => levels?.engine);
  const isRunning = useLive((live) => live.state?.is_engine_running);
  const isLinked = useLive((live) => live.status === "open");
  if (!engine || !isRunning) {
    return (
      <Figure label={t("shell.cpu")}>
        {isLinked ? <span className="text-sm text-over-strong">{t("shell.starting")}</span> : "–"}
      </Figure>
    );
  }
  const { load_percent, late_in_last_minute: late, lost_pieces: lost } = engine;
  const isThinned = engine.figures_every_s > THINNED_S;
  const label = isThinned ? t("shell.cpuOverloaded") : t("shell.cpu");
  return (
    <Figure
      label={late ? t("shell.labelLateLate", { label, late }) : label}
      title={t("shell.cpuHelp", {
        thinned: isThinned ? t("shell.thinned", { seconds: engine.figures_every_s }) : "",
        lost,
      })}
    >
      {load_percent.toFixed(0)}
      <Unit>%</Unit>
    </Figure>
  );
}

function Unit({ children }: { children: string }) {
  return <small className="ml-0.5 font-sans text-xs font-normal">{children}</small>;
}
