/** Which lanes an evening has, and what is wanted of each. */

import type { LanesData, Rig } from "../api/client";
import { decibels } from "../units/format";

export type Lane = {
  column: string;
  name: string;
  wanted: string;
  colour: string;
  low: number;
  high: number;
  band: [number, number];
  digits: number;
  unit: string;
};

const MOST_CLEARANCES = 3;

export function lanesOf(rig: Rig): Lane[] {
  const { targets } = rig;
  const clearances = rig.inputs
    .filter(({ role }) => role === "game" || role === "music" || role === "call")
    .slice(0, MOST_CLEARANCES)
    .map(({ id, name, role }) => {
      const wanted = targets[`${role as "game" | "music" | "call"}_clearance_db`];
      return {
        column: `over:${id}`,
        name: `Over ${name}`,
        wanted: `${wanted} dB wanted`,
        colour: role,
        low: wanted - 16,
        high: wanted + 12,
        band: [wanted - 2, wanted + 4] as [number, number],
        digits: 1,
        unit: "dB",
      };
    });
  const { voice_peaks_dbfs: peaks, voice_tolerance_db: near, loudness_lufs: loud } = targets;
  return [
    ...clearances,
    {
      column: "voice_peaks",
      name: "Voice peaks",
      wanted: `${decibels(peaks - near, 0)} … ${decibels(peaks + near, 0)} wanted`,
      colour: "voice",
      low: peaks - 14,
      high: peaks + 8,
      band: [peaks - near, peaks + near],
      digits: 1,
      unit: "dBFS",
    },
    {
      column: "loudness",
      name: "Loudness",
      wanted: `${decibels(loud, 0)} LUFS wanted`,
      colour: "text",
      low: loud - 16,
      high: loud + 8,
      band: [loud - 2, loud + 2],
      digits: 1,
      unit: "LUFS",
    },
    {
      column: "words",
      name: "Understandable",
      wanted: "good from 0.75",
      colour: "voice",
      low: 0,
      high: 1,
      band: [0.75, 1],
      digits: 2,
      unit: "",
    },
  ];
}

/** A lane in one sentence, for those who do not see it. */
export function laneSentence(lane: Lane, data: LanesData | null): string {
  const means = (data?.means[lane.column] ?? []).filter((one) => one !== null);
  if (!means.length) return `${lane.name}: nothing yet; ${lane.wanted}`;
  const last = means[means.length - 1] ?? 0;
  const lowest = Math.min(...(data?.lows[lane.column] ?? []).filter((one) => one !== null));
  const highest = Math.max(...(data?.highs[lane.column] ?? []).filter((one) => one !== null));
  const text = (value: number) => decibels(value, lane.digits);
  return `${lane.name}: ${text(last)} ${lane.unit} last, from ${text(lowest)} to ${text(highest)}; ${lane.wanted}`;
}
