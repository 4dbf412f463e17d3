/** The Viewers feed as a whole: loudness against its target, true peak, and what its ceiling does. */

import type { ReactNode } from "react";
import { ask } from "../live/link";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { decibels } from "../units/format";

const clock = (seconds: number) =>
  `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

const shareOf = (percent: number) => (percent < 1 ? "less than 1 %" : `${percent.toFixed(0)} %`);

export function WholeFeed() {
  const rig = useLive((live) => live.state?.rig);
  const whole = useLevels((levels) => levels?.balance.whole);
  const shortTerm = useLevels((levels) => levels?.short_term_lufs);
  const by = rig?.inputs.find(({ id }) => id === whole?.limited_by)?.name;
  return (
    <Panel>
      <section aria-label="The whole">
        <div className="flex items-baseline justify-between">
          <h3 className="font-semibold">The whole, for viewers</h3>
          <Button
            className="px-2.5! py-0.5! text-xs!"
            title="Count the loudness anew from now on"
            onClick={() => ask({ type: "count_anew" })}
          >
            Anew
          </Button>
        </div>
        <dl className="mt-1 grid grid-cols-[auto_1fr] gap-x-2 gap-y-0.5 text-[13px]">
          <Row label={`Loudness, ${clock(whole?.seconds ?? 0)}`}>
            <b>{decibels(whole?.integrated_lufs)}</b> of {decibels(rig?.targets.loudness_lufs, 0)}{" "}
            LUFS
          </Row>
          <Row label="Loudness, 3 s">{decibels(shortTerm)} LUFS</Row>
          <Row label="Range">{decibels(whole?.range_lu)} LU</Row>
          <Row label="True peak">
            {decibels(whole?.highest_dbtp)} of {decibels(rig?.feeds.viewers.ceiling_dbtp, 0)} dBTP
          </Row>
        </dl>
        <p className="mt-1 text-[13px] text-quiet">
          {!whole || whole.limited_share_percent === 0
            ? "Its ceiling has had nothing to do for half a minute."
            : `Its ceiling worked ${shareOf(whole.limited_share_percent)} of half a minute, ${whole.limited_db.toFixed(1)} dB at most${by ? `, mostly for ${by}` : ""}.`}
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
