import { FEED_LABELS } from "../api/facts.gen";
import type { FeedName, Levels } from "../api/client";
import { ask } from "../live/link";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { openWiring, useView } from "../view";
import { partsOf } from "./ledger";
import { t } from "../text/text";

/** The delay from the microphone to a listener: parts, sum, what was measured, what to do. */
export function LedgerPanel({ feed }: { feed: FeedName }) {
  const sum = useLevels((levels) => levels?.delay_ms[feed]) ?? 0;
  const measured = useLevels((levels) => levels?.measured_delay_ms);
  const ledger = useLevels((levels) => levels?.ledgers[feed]);
  const rig = useLive((live) => live.state?.rig);
  const wiring = useView((view) => view.wiring);
  if (measured === undefined || !rig) return null;
  const parts = partsOf(ledger ?? [], rig);
  return (
    <section
      aria-label={t("wiring.delayFromTheMicrophoneTo", { name: FEED_LABELS[feed] })}
      className="rounded-lg bg-panel p-3.5"
    >
      <h3 className="font-semibold">
        {t("wiring.delayMicrophoneName", { name: FEED_LABELS[feed] })}
      </h3>
      <ul className="mt-1.5 min-w-0">
        {parts.map(({ name, ms, startMs }) => {
          const left = sum ? (startMs / sum) * 100 : 0;
          return (
            <li key={name} className="flex items-center gap-2 py-[3px] text-xs">
              <span className={`min-w-0 flex-1 truncate ${ms ? "" : "text-quiet"}`} title={name}>
                {name}
              </span>
              <span aria-hidden className="relative h-2 w-[72px] shrink-0 rounded bg-line/60">
                <span
                  className={`absolute inset-y-0 rounded ${ms ? "bg-voice" : "bg-quiet"}`}
                  style={{ left: `${left}%`, width: `${Math.max(2, (ms / sum) * 100)}%` }}
                />
              </span>
              <span className={`figures w-10 text-right ${ms ? "font-semibold" : "text-quiet"}`}>
                {ms.toFixed(1)}
              </span>
            </li>
          );
        })}
      </ul>
      <p className="mt-1 border-t border-line pt-1.5">
        <span className="figures text-lg font-semibold">{sum.toFixed(1)} ms</span>{" "}
        <span className="text-xs text-quiet">{measuredWords(measured, feed)}</span>
      </p>
      <PictureOffset sum={sum} feed={feed} />
      <div className="mt-2 flex gap-2">
        <Button className="flex-1 px-2!" onClick={() => ask({ type: "measure_delay" })}>
          {t("wiring.sendAClick")}
        </Button>
        {wiring !== "delay" && (
          <Button className="flex-1 px-2!" onClick={() => openWiring("delay")}>
            {t("wiring.smallestBuffer")}
          </Button>
        )}
      </div>
    </section>
  );
}

function measuredWords(measured: Levels["measured_delay_ms"], feed: FeedName): string {
  if (!measured) return t("wiring.notMeasuredYet");
  const own = measured[feed];
  return own === null || own === undefined
    ? t("wiring.theClickDidNotArrive")
    : t("wiring.measuredMs", { ms: own.toFixed(1) });
}

/** What the picture has to wait, in milliseconds and in pictures. */
function PictureOffset({ sum, feed }: { sum: number; feed: FeedName }) {
  if (feed !== "viewers") return null;
  const at = (rate: number) => ((sum * rate) / 1000).toFixed(1);
  return (
    <p className="text-xs">
      {t("wiring.delayTheVideoByMs", { ms: sum.toFixed(0), at60: at(60), at30: at(30) })}
    </p>
  );
}
