/** One strip for a corner of the only screen: who hears you, the ways to be silent, your voice and what stands against it. */

import { useEffect } from "react";
import { FEED_LABELS } from "../api/facts.gen";
import { FEEDS, reachSentence, useReach } from "../live/reach";
import { useLevels } from "../live/readings";
import { HELD_TO_COUGH, toggleBreak, toggleMute } from "../live/silence";
import { useLive } from "../live/store";
import { clock, decibels } from "../units/format";
import { ROLE_LABELS } from "../ui/roles";
import { t } from "../text/text";

export function SmallPage() {
  const watch = useLive((live) => live.watch);
  const status = useLive((live) => live.status);
  const told = watch?.told;
  useEffect(() => {
    document.title = told ? `▲ ${told.title}` : t("small.goshawkSmallWindow");
  }, [told]);
  return (
    <main className="flex h-full min-h-[112px] flex-col justify-between gap-1.5 overflow-hidden bg-ground p-2.5 text-[13px]">
      <h1 className="sr-only">Goshawk</h1>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        {FEEDS.map((feed) => (
          <Lamp key={feed} feed={feed} />
        ))}
        <span className="figures ml-auto text-xs text-quiet">
          {watch?.stage === "on_air"
            ? t("small.liveTime", { time: clock(watch.seconds) })
            : t("small.notLive")}
        </span>
      </div>
      <Figures />
      {status === "lost" ? (
        <p role="alert" className="truncate text-over-strong">
          {t("small.connectionLost")}
        </p>
      ) : told ? (
        <p role="alert" className="truncate font-semibold text-over-strong" title={told.text}>
          ▲ {told.title}
        </p>
      ) : (
        <LastEvent />
      )}
    </main>
  );
}

function Lamp({ feed }: { feed: (typeof FEEDS)[number] }) {
  const reach = useReach(feed);
  const rig = useLive((live) => live.state?.rig);
  const isHeard = reach === "hears";
  return (
    <span className="flex items-center gap-1.5">
      <span
        aria-hidden
        className={`relative size-2.5 rounded-full ${isHeard ? "bg-voice" : `border-2 ${reach === "open" ? "border-voice" : "border-quiet"}`}`}
      >
        {reach === "closed" && (
          <span className="absolute top-1/2 -left-1 h-[1.5px] w-3.5 -rotate-45 bg-quiet" />
        )}
      </span>
      <span className={reach === "closed" ? "text-quiet line-through" : ""}>
        {FEED_LABELS[feed]}
      </span>
      <span className="sr-only">{reachSentence(feed, reach, rig)}</span>
    </span>
  );
}

const look = (isOn: boolean) =>
  `min-h-7 rounded-md px-2 text-xs font-semibold ${isOn ? "bg-over-strong text-on-over" : "bg-raised"}`;

function Figures() {
  const clearances = useLevels((levels) => levels?.clearance_db);
  const everyPeak = useLevels((levels) => levels?.peaks_dbfs);
  const rig = useLive((live) => live.state?.rig);
  const isCoughing = useLive((live) => live.state?.is_coughing ?? false);
  if (!rig) return <p className="text-quiet">{t("small.connectingToGoshawk")}</p>;
  const voice = rig.inputs.find(({ id }) => id === rig.chained);
  const game = rig.inputs.find(({ role }) => role === "game");
  const over = game && clearances?.[game.id];
  const peaks = everyPeak?.[rig.chained];
  const { voice_peaks_dbfs: wanted, voice_tolerance_db: near } = rig.targets;
  const isOff = peaks != null && Math.abs(peaks - wanted) > near;
  return (
    <div className="flex items-center gap-3">
      <button
        type="button"
        aria-pressed={voice?.is_muted ?? false}
        className={look(voice?.is_muted ?? false)}
        onClick={toggleMute}
      >
        {voice?.is_muted ? t("small.muted") : t("small.mute")}
      </button>
      <button
        type="button"
        aria-pressed={rig.is_on_break}
        className={look(rig.is_on_break)}
        onClick={toggleBreak}
      >
        {rig.is_on_break ? t("small.onBreak") : t("small.break")}
      </button>
      <button
        type="button"
        aria-pressed={isCoughing}
        title={t("small.silentForEveryoneWhileYou")}
        className={look(isCoughing)}
        {...HELD_TO_COUGH}
      >
        {t("small.cough")}
      </button>
      <Figure
        label={t("small.aboveName", { name: game?.name ?? ROLE_LABELS.game })}
        value={`${decibels(over)} dB`}
      />
      <Figure
        label={t("small.voiceTargetTarget", { target: decibels(wanted, 0) })}
        value={`${isOff ? "▲ " : ""}${decibels(peaks)} dBFS`}
        isOff={isOff}
      />
    </div>
  );
}

function Figure({
  label,
  value,
  isOff = false,
}: {
  label: string;
  value: string;
  isOff?: boolean;
}) {
  return (
    <p className="min-w-0 leading-tight whitespace-nowrap">
      <span className="block truncate text-[11px] text-quiet">{label}</span>
      <span className={`figures text-[14px] font-semibold ${isOff ? "text-voice-strong" : ""}`}>
        {value}
      </span>
    </p>
  );
}

function LastEvent() {
  const events = useLive((live) => live.watch?.events);
  const last = events?.[events.length - 1];
  return (
    <p className="truncate text-xs text-quiet">
      {last
        ? t("small.lastTitleAtTime", { time: clock(last.began_s), title: last.title })
        : t("small.noEventsYet")}
    </p>
  );
}
