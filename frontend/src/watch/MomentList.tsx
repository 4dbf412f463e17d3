/** Events and marks, the newest first: what, how long, how bad, and what would help. Pressing one plays what was said around it. */

import type { Anchor, Mark, WatchEvent } from "../api/client";
import { timeOf } from "./evenings";
import type { HeardAs, HearAt } from "./hearMoment";
import { t } from "../text/text";

type Props = {
  events: WatchEvent[];
  marks: Mark[];
  anchors: Anchor[];
  nowS: number;
  onHear: HearAt;
};

type Moment = {
  key: string;
  atS: number;
  title: string;
  text: string;
  isOver: boolean;
  way: HeardAs;
};

function lasted(event: WatchEvent, nowS: number): string {
  const seconds = (event.ended_s ?? nowS) - event.began_s;
  const long =
    seconds >= 90
      ? t("watch.minutesMin", { minutes: Math.round(seconds / 60) })
      : `${seconds.toFixed(1)} s`;
  const times = event.count > 1 ? t("watch.onceCount", { count: event.count }) : "";
  if (event.ended_s == null) return t("watch.ongoingForLongTimes", { long, times });
  // What was lost and is over at once has no length worth saying.
  return seconds < 0.1 && !times ? "" : `${long}${times}.`;
}

export function momentsOf(events: WatchEvent[], marks: Mark[], nowS: number): Moment[] {
  return [
    ...events.map((event) => ({
      key: `event ${event.number}`,
      atS: event.began_s,
      title: event.title,
      text: `${lasted(event, nowS)} ${event.text} ${event.help}`.trim(),
      isOver: true,
      way: event.heard_as,
    })),
    ...marks.map((mark) => ({
      key: `mark ${mark.id}`,
      atS: mark.frame / 48_000,
      title: mark.name || (mark.by === "you" ? t("watch.mark") : t("watch.markByGoshawk")),
      text: mark.by === "you" ? t("watch.yourMark") : t("watch.byGoshawk"),
      isOver: false,
      way: "was" as const,
    })),
  ].sort((a, b) => b.atS - a.atS);
}

export function MomentList({ events, marks, anchors, nowS, onHear }: Props) {
  const moments = momentsOf(events, marks, nowS);
  return (
    <section
      aria-label={t("watch.events")}
      className="flex min-h-0 flex-1 flex-col rounded-lg bg-panel p-4 pb-2"
    >
      <h3 className="flex justify-between border-b border-line pb-2 text-[13px] font-semibold">
        {t("watch.events")} <span className="figures font-normal text-quiet">{moments.length}</span>
      </h3>
      {!moments.length && (
        <p className="pt-2 text-[13px] text-quiet">{t("watch.noEventsYetPressK")}</p>
      )}
      <ul className="min-h-0 flex-1 overflow-auto" tabIndex={moments.length ? 0 : undefined}>
        {moments.map((one) => (
          <li key={one.key} className="border-b border-line last:border-0">
            <button
              type="button"
              title={t("watch.playTheSoundAroundIt")}
              onClick={() => onHear(one.atS, one.way)}
              className="grid w-full grid-cols-[46px_minmax(0,1fr)] py-2 text-left text-[13px] hover:bg-raised/40"
            >
              <span className="figures text-quiet">{timeOf(anchors, one.atS)}</span>
              <span>
                <span className={`font-semibold ${one.isOver ? "text-over-strong" : ""}`}>
                  {one.isOver ? "▲" : "▸"} {one.title}
                </span>
                <span className="block text-xs text-quiet">{one.text}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
