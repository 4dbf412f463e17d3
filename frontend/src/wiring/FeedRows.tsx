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

const OUTPUTS = [
  { value: "headphones", label: "headphones" },
  { value: "loudspeakers", label: "loudspeakers" },
];

/** The ceiling, unless its level has its home elsewhere: the Viewers' is in Balance. */
function ceilingWords(feed: FeedName, settings: FeedSettings): string {
  if (!settings.has_ceiling) return "no ceiling";
  return feed === "viewers" ? "ceiling" : `ceiling ${signless(settings.ceiling_dbtp, 0)} dBTP`;
}

/** Who hears what, as sentences, and each feed's own settings. */
export function FeedRows() {
  return (
    <ul aria-label="What each listener hears" className="rounded-lg bg-panel px-3.5 py-1">
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
    settings.is_muted ? "muted" : null,
    settings.fader_db ? `fader ${signless(settings.fader_db, 1)} dB` : null,
    ceilingWords(feed, settings),
    settings.delay_ms ? `delay ${settings.delay_ms.toFixed(0)} ms` : null,
    feed === "you" ? output : null,
  ].filter(Boolean);
  return (
    <li className="flex items-center gap-3 border-line py-1.5 text-[13px] not-last:border-b">
      <b className={`w-16 ${settings.is_muted ? "line-through" : ""}`}>{FEED_LABELS[feed]}</b>
      <span className={`min-w-0 flex-1 ${isFound ? "text-over-strong" : ""}`}>
        {isFound && "▲ "}
        {sentence}
      </span>
      <Popover
        label={`The feed of ${FEED_LABELS[feed]}`}
        trigger={
          <button
            type="button"
            className="rounded-md px-2 py-1 text-xs text-quiet hover:bg-raised hover:text-text"
          >
            <span className="sr-only">{FEED_LABELS[feed]}: </span>
            {facts.join(" · ")}
            <span className="sr-only">, change</span>
          </button>
        }
      >
        <h3 className="mb-1 font-semibold">{FEED_LABELS[feed]}, as a whole</h3>
        {feed === "you" && (
          <div className="py-1">
            <Choice
              label="Played on"
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
          <p className="pb-1 text-xs text-quiet">How high it is, is set in Balance.</p>
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
