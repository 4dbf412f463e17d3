import { FEED_LABELS } from "../api/facts.gen";
import type { FeedName, FeedSettings } from "../api/client";
import { setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { FEEDS } from "../live/reach";
import { Choice } from "../ui/Choice";
import { Popover } from "../ui/Popover";
import { Setting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { levelWords, signless } from "../units/format";
import { t } from "../text/text";

const OUTPUTS = [
  { value: "headphones", label: t("wiring.headphones") },
  { value: "loudspeakers", label: t("wiring.loudspeakers") },
];

/** The ceiling, unless its level has its home elsewhere: the Viewers' is in Balance. */
function ceilingWords(feed: FeedName, settings: FeedSettings): string {
  if (!settings.has_ceiling) return t("wiring.noCeiling");
  return feed === "viewers"
    ? t("wiring.ceiling")
    : t("wiring.ceilingDbDbtp", { db: signless(settings.ceiling_dbtp, 0) });
}

/** Who hears what, as sentences, and each feed's own settings. */
export function FeedRows() {
  return (
    <ul aria-label={t("wiring.feeds")} className="rounded-lg bg-panel px-3.5 py-1">
      {FEEDS.map((feed) => (
        <FeedRow key={feed} feed={feed} />
      ))}
    </ul>
  );
}

function FeedRow({ feed }: { feed: FeedName }) {
  const settings = useLive((live) => live.state?.rig.feeds[feed]);
  const sentence = useLive((live) => live.state?.sentences[feed]);
  const output = useLive((live) => live.state?.rig.feeds.you.output);
  const isFound = useLevels(
    (levels) => levels?.findings.some(({ feeds }) => feeds.includes(feed)) ?? false,
  );
  if (!settings) return null;
  const facts = [
    settings.is_muted ? t("wiring.muted") : null,
    settings.fader_db ? t("wiring.faderDbDb", { db: signless(settings.fader_db, 1) }) : null,
    ceilingWords(feed, settings),
    settings.delay_ms ? t("wiring.delayMsMs", { ms: settings.delay_ms.toFixed(0) }) : null,
    feed === "you" ? OUTPUTS.find(({ value }) => value === output)?.label : null,
  ].filter(Boolean);
  return (
    <li className="flex items-center gap-3 border-line py-1.5 text-[13px] not-last:border-b">
      <b className={`w-16 ${settings.is_muted ? "line-through" : ""}`}>{FEED_LABELS[feed]}</b>
      <span className={`min-w-0 flex-1 ${isFound ? "text-over-strong" : ""}`}>
        {isFound && "▲ "}
        {sentence}
      </span>
      <Popover
        label={t("wiring.feedOfName", { name: FEED_LABELS[feed] })}
        trigger={
          <button
            type="button"
            className="rounded-md px-2 py-1 text-xs text-quiet hover:bg-raised hover:text-text"
          >
            <span className="sr-only">{FEED_LABELS[feed]}: </span>
            {facts.join(" · ")}
            <span className="sr-only">{t("wiring.change")}</span>
          </button>
        }
      >
        <h3 className="mb-1 font-semibold">
          {t("wiring.feedOfName", { name: FEED_LABELS[feed] })}
        </h3>
        {feed === "you" && (
          <div className="py-1">
            <Choice
              label={t("wiring.monitorOn")}
              value={output ?? "headphones"}
              options={OUTPUTS}
              onChange={(value) => setSetting("feeds.you.output", value)}
            />
          </div>
        )}
        <Toggle path={`feeds.${feed}.is_muted`} />
        <Setting path={`feeds.${feed}.fader_db`} />
        <Toggle path={`feeds.${feed}.has_ceiling`} />
        {feed !== "viewers" && <Setting path={`feeds.${feed}.ceiling_dbtp`} />}
        {feed === "viewers" && (
          <p className="pb-1 text-xs text-quiet">{t("wiring.setItsLevelInBalance")}</p>
        )}
        <Setting path={`feeds.${feed}.delay_ms`} />
      </Popover>
      <Peak feed={feed} />
    </li>
  );
}

function Peak({ feed }: { feed: FeedName }) {
  const peak = useLevels((levels) => levels?.feed_peaks_dbfs[feed]);
  return (
    <span className="figures w-[86px] text-right font-semibold whitespace-nowrap">
      {levelWords(peak, 1)}
    </span>
  );
}
