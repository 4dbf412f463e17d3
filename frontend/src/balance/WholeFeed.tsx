/** The Viewers feed as a whole: loudness against its target, true peak, and what its ceiling does. */

import type { ReactNode } from "react";
import { ask } from "../live/link";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { decibels } from "../units/format";
import { t } from "../text/text";

const clock = (seconds: number) =>
  `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

const shareOf = (percent: number) =>
  percent < 1 ? t("balance.lessThan1") : `${percent.toFixed(0)} %`;

export function WholeFeed() {
  const rig = useLive((live) => live.state?.rig);
  const whole = useLevels((levels) => levels?.balance.whole);
  const shortTerm = useLevels((levels) => levels?.short_term_lufs);
  const by = rig?.inputs.find(({ id }) => id === whole?.limited_by)?.name;
  return (
    <Panel>
      <section aria-label={t("balance.fullMix")}>
        <div className="flex items-baseline justify-between">
          <h3 className="font-semibold">{t("balance.fullMixForViewers")}</h3>
          <Button
            className="px-2.5! py-0.5! text-xs!"
            title={t("balance.restartTheLoudnessMeasurement")}
            onClick={() => ask({ type: "count_anew" })}
          >
            {t("balance.reset")}
          </Button>
        </div>
        <dl className="mt-1 grid grid-cols-[auto_1fr] gap-x-2 gap-y-0.5 text-[13px]">
          <Row label={t("balance.loudnessTime", { time: clock(whole?.seconds ?? 0) })}>
            <b>{decibels(whole?.integrated_lufs)}</b>{" "}
            {t("balance.lufsTargetTarget", { target: decibels(rig?.targets.loudness_lufs, 0) })}
          </Row>
          <Row label={t("balance.loudness3S")}>{decibels(shortTerm)} LUFS</Row>
          <Row label={t("balance.loudnessRange")}>{decibels(whole?.range_lu)} LU</Row>
          <Row label={t("balance.truePeak")}>
            {t("balance.highestDbtpLimitCeiling", {
              highest: decibels(whole?.highest_dbtp),
              ceiling: decibels(rig?.feeds.viewers.ceiling_dbtp, 0),
            })}
          </Row>
        </dl>
        <p className="mt-1 text-[13px] text-quiet">
          {!whole || whole.limited_share_percent === 0
            ? t("balance.mixLimiterNotActiveIn")
            : t("balance.mixLimiterActive", {
                share: shareOf(whole.limited_share_percent),
                db: whole.limited_db.toFixed(1),
                by: by || "none",
              })}
        </p>
      </section>
    </Panel>
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
