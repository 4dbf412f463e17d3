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

const LENGTHS_S = [5, 10, 20, 30];

export function StartReplay() {
  const [seconds, setSeconds] = useState(10);
  return (
    <>
      <Button
        title="Plays voice, game and music of just now over and over, to you alone"
        onClick={() => ask({ type: "replay_last", seconds })}
      >
        Replay the last
      </Button>
      <Select
        label="Length of the replay"
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
      aria-label="Replay"
      className="mb-2.5 flex flex-wrap items-center gap-2.5 rounded-lg bg-raised px-3 py-1.5"
    >
      <p role="status" className="text-[13px]">
        <strong>{replay.duration_s.toFixed(0)} s replayed, for you alone:</strong> viewers, call and
        archive get silence meanwhile. Listen as Viewers.
      </p>
      <span className="ml-auto" />
      <Choice
        label="Hear the replay"
        value={replay.heard}
        options={[
          { value: "before", label: "As it was" },
          { value: "now", label: "As it is now" },
        ]}
        onChange={(heard) => ask({ type: "replay_hear", heard })}
      />
      <Button look="main" onClick={() => ask({ type: "replay_stop" })}>
        End replay
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
    { label: "Understandable", unit: "", digits: 2, of: (mix) => mix.sii },
    { label: "Voice peaks", unit: "dBFS", digits: 1, of: (mix) => mix.voice_peak_dbfs },
    ...others.map(({ id, name }) => ({
      label: `Over ${name}`,
      unit: "dB",
      digits: 1,
      of: (mix: MixFigures) => mix.clearance_db[id] ?? null,
    })),
    { label: "Loudness", unit: "LUFS", digits: 1, of: (mix) => mix.integrated_lufs },
    { label: "True peak", unit: "dBTP", digits: 1, of: (mix) => mix.true_peak_dbtp },
  ];
}

export function ReplayFigures({ replay }: { replay: ReplayState }) {
  const rig = useLive((live) => live.state?.rig);
  const { before, now } = replay;
  return (
    <Panel>
      <section aria-label="The replay in figures" aria-busy={replay.is_measuring}>
        <table className="w-full text-[13px]">
          <thead>
            <tr className="text-left text-xs text-quiet">
              <th className="py-1 font-normal">
                {replay.is_measuring ? "measuring …" : "on the same seconds"}
              </th>
              <th className="text-right font-normal">was</th>
              <th className="text-right font-normal">now</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {figuresOf(rig).map(({ label, unit, digits, of }) => (
              <tr key={label} className="border-t border-line">
                <th className="py-1 text-left font-normal">{label}</th>
                <td className="figures text-right text-quiet">
                  {decibels(before && of(before), digits)}
                </td>
                <td className="figures text-right font-semibold">
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
