import { SOUND_EARLIER_MS, SOUND_LATER_MS } from "../api/facts.gen";
import { FEED_LABELS } from "../api/facts.gen";
import { useState } from "react";
import type { BufferTrial, FeedName } from "../api/client";
import { ask, setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { FEEDS } from "../live/reach";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Panel } from "../ui/Panel";
import { Progress } from "../ui/Progress";
import { Setting, useSetting } from "../ui/Setting";
import { LedgerPanel } from "./LedgerPanel";
import { t } from "../text/text";

/** The delay to every listener, the offset of the picture, and the buffer. */
export function DelayView() {
  const [feed, setFeed] = useState<FeedName>("viewers");
  return (
    <div className="flex gap-3.5">
      <div className="flex min-w-0 flex-1 flex-col gap-3">
        <BufferPanel />
        <Panel>
          <h3 className="font-semibold">{t("wiring.audioAndVideo")}</h3>
          <p className="mb-2 text-[13px] text-quiet">
            {t("wiring.enterTheVideoDelayOf", { later: SOUND_LATER_MS, earlier: SOUND_EARLIER_MS })}
          </p>
          <div className="max-w-[420px]">
            <Setting path="picture_delay_ms" />
          </div>
        </Panel>
      </div>
      <div className="flex w-[340px] shrink-0 flex-col gap-3">
        <Choice
          label={t("wiring.delayTo")}
          value={feed}
          options={FEEDS.map((name) => ({ value: name, label: FEED_LABELS[name] }))}
          onChange={(name) => setFeed(name)}
        />
        <LedgerPanel feed={feed} />
        <AllDelays />
      </div>
    </div>
  );
}

function AllDelays() {
  const computed = useLevels((levels) => levels?.delay_ms);
  const everyMeasured = useLevels((levels) => levels?.measured_delay_ms);
  return (
    <Panel>
      <table className="w-full text-[13px]">
        <caption className="mb-1 text-left font-semibold">
          {t("wiring.delayToEveryListenerMs")}
        </caption>
        <thead>
          <tr className="text-xs text-quiet">
            <th scope="col" className="text-left font-normal">
              {t("wiring.listener")}
            </th>
            <th scope="col" className="text-right font-normal">
              {t("wiring.computed")}
            </th>
            <th scope="col" className="text-right font-normal">
              {t("wiring.measured")}
            </th>
          </tr>
        </thead>
        <tbody>
          {FEEDS.map((feed) => {
            const measured = everyMeasured?.[feed];
            return (
              <tr key={feed}>
                <th scope="row" className="text-left font-normal">
                  {FEED_LABELS[feed]}
                </th>
                <td className="figures text-right">{computed?.[feed]?.toFixed(1)}</td>
                <td className="figures text-right">
                  {measured === null || measured === undefined ? "–" : measured.toFixed(1)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </Panel>
  );
}

function BufferPanel() {
  const setting = useSetting("block_frames");
  const search = useLive((live) => live.state?.buffer_search);
  if (!setting || !search) return null;
  const { advice } = search;
  return (
    <Panel>
      <h3 className="font-semibold">{t("wiring.buffer")}</h3>
      <p className="mb-2 text-[13px] text-quiet">{setting.info.help}</p>
      <div className="flex items-center gap-3">
        <Choice
          label={t("wiring.bufferSizeInFrames")}
          value={String(setting.value)}
          options={setting.info.options.map((frames) => ({
            value: String(frames),
            label: String(frames),
          }))}
          onChange={(frames) => setSetting("block_frames", Number(frames))}
        />
        {search.is_running ? (
          <Button onClick={() => ask({ type: "find_buffer", is_on: false })}>
            {t("wiring.stop")}
          </Button>
        ) : (
          <Button look="main" onClick={() => ask({ type: "find_buffer", is_on: true })}>
            {t("wiring.findTheSmallestStableSize")}
          </Button>
        )}
      </div>
      {search.is_running && (
        <div className="mt-3 flex items-center gap-3 text-[13px]">
          <Progress label={t("wiring.search")} share={search.progress} />
          {t("wiring.tryingFramesFramesClicksAre", { frames: search.trying ?? 0 })}
        </div>
      )}
      {search.was_cancelled && (
        <p className="mt-3 text-[13px]">{t("wiring.stoppedTheBufferIsUnchanged")}</p>
      )}
      {search.trials.length > 0 && <Trials trials={search.trials} mostShare={search.most_share} />}
      {advice && (
        <div className="mt-2 flex items-center gap-3 text-[13px]">
          <p role="status">{advice.text}</p>
          {advice.block_frames !== setting.value && (
            <Button
              look="main"
              className="ml-auto shrink-0"
              onClick={() => setSetting("block_frames", advice.block_frames)}
            >
              {t("wiring.useFrames", { frames: advice.block_frames })}
            </Button>
          )}
        </div>
      )}
    </Panel>
  );
}

/** Of each size the slowest block's share of its time, and how many came late. */
function Trials({ trials, mostShare }: { trials: BufferTrial[]; mostShare: number }) {
  return (
    <ul className="mt-3 flex flex-col gap-1 text-[13px]" aria-label={t("wiring.sizesTried")}>
      {trials.map(({ block_frames, late_blocks, slowest_share }) => (
        <li key={block_frames} className="flex items-center gap-3">
          <span className="figures w-12 text-right">{block_frames}</span>
          <span aria-hidden className="relative h-3 w-60 overflow-hidden rounded bg-line/60">
            <span
              className={`absolute inset-y-0 left-0 ${late_blocks ? "bg-over" : "bg-voice"}`}
              style={{ width: `${Math.min(100, slowest_share * 100)}%` }}
            />
            <span
              className="absolute inset-y-0 w-px bg-text"
              style={{ left: `${mostShare * 100}%` }}
            />
          </span>
          <span className={late_blocks ? "text-over-strong" : ""}>
            {late_blocks
              ? t("wiring.countLate", { count: late_blocks })
              : t("wiring.slowestShare", { share: (slowest_share * 100).toFixed(0) })}
          </span>
        </li>
      ))}
    </ul>
  );
}
