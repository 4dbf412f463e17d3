/** Some seconds of all inputs, replayed while they are balanced: then and now, equally loud. */

import { useState } from "react";
import type { MixFigures, ReplayState, Rig } from "../api/client";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Panel } from "../ui/Panel";
import { Select } from "../ui/Select";
import { decibels } from "../units/format";
import { t } from "../text/text";

const LENGTHS_S = [5, 10, 20, 30];

export function StartReplay() {
  const [seconds, setSeconds] = useState(10);
  return (
    <>
      <Button
        title={t("balance.repeatsTheLastSecondsOf")}
        onClick={() => ask({ type: "replay_last", seconds })}
      >
        {t("balance.replayTheLast")}
      </Button>
      <Select
        label={t("balance.replayLength")}
        value={String(seconds)}
        groups={[{ options: LENGTHS_S.map((s) => ({ value: String(s), label: `${s} s` })) }]}
        onChange={(value) => setSeconds(Number(value))}
      />
    </>
  );
}

export function ReplayBar({ replay }: { replay: ReplayState }) {
  return (
    <section
      aria-label={t("balance.replay")}
      className="mb-2.5 flex flex-wrap items-center gap-2.5 rounded-lg bg-raised px-3 py-1.5"
    >
      <p role="status" className="text-[13px]">
        <strong>
          {t("balance.replayingSecondsSForYou", { seconds: replay.duration_s.toFixed(0) })}
        </strong>{" "}
        {t("balance.viewersCallAndArchiveGet")}
      </p>
      <span className="ml-auto" />
      <Choice
        label={t("balance.playTheReplay")}
        value={replay.heard}
        options={[
          { value: "before", label: t("balance.asBroadcast") },
          { value: "now", label: t("balance.currentSettings") },
        ]}
        onChange={(heard) => ask({ type: "replay_hear", heard })}
      />
      <Button look="main" onClick={() => ask({ type: "replay_stop" })}>
        {t("balance.endReplay")}
      </Button>
    </section>
  );
}

type Figure = {
  label: string;
  unit: string;
  digits: number;
  of: (mix: MixFigures) => number | null;
};

function figuresOf(rig: Rig | undefined): Figure[] {
  const others = rig?.inputs.filter(({ id }) => id !== rig.chained) ?? [];
  return [
    { label: t("balance.intelligibility"), unit: "", digits: 2, of: (mix) => mix.sii },
    { label: t("balance.voicePeaks"), unit: "dBFS", digits: 1, of: (mix) => mix.voice_peak_dbfs },
    ...others.map(({ id, name }) => ({
      label: t("balance.aboveName", { name }),
      unit: "dB",
      digits: 1,
      of: (mix: MixFigures) => mix.clearance_db[id] ?? null,
    })),
    { label: t("balance.loudness"), unit: "LUFS", digits: 1, of: (mix) => mix.integrated_lufs },
    { label: t("balance.truePeak"), unit: "dBTP", digits: 1, of: (mix) => mix.true_peak_dbtp },
  ];
}

export function ReplayFigures({ replay }: { replay: ReplayState }) {
  const rig = useLive((live) => live.state?.rig);
  const { before, now } = replay;
  return (
    <Panel>
      <section aria-label={t("balance.replayFigures")} aria-busy={replay.is_measuring}>
        <table className="w-full text-[13px]">
          <thead>
            <tr className="text-left text-xs text-quiet">
              <th className="py-1 font-normal">
                {replay.is_measuring
                  ? t("balance.measuring")
                  : t("balance.measuredOnTheSameSeconds")}
              </th>
              <th className="text-right font-normal">{t("balance.before")}</th>
              <th className="text-right font-normal">{t("balance.now")}</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {figuresOf(rig).map(({ label, unit, digits, of }) => (
              <tr key={label} className="border-t border-line">
                <th className="py-1 text-left font-normal">{label}</th>
                <td className="figures pl-2 text-right text-quiet">
                  {decibels(before && of(before), digits)}
                </td>
                <td className="figures pl-2 text-right font-semibold">
                  {decibels(now && of(now), digits)}
                </td>
                <td className="pl-1.5 text-xs text-quiet">{unit}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    </Panel>
  );
}
