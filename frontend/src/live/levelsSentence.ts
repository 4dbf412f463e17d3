import type { Levels, Reaches, Rig } from "../api/client";
import { reachSentence } from "./reach";
import { decibels, MINUS } from "../units/format";

const said = (value: number | null | undefined) => decibels(value).replace(MINUS, "minus ");

/** The levels that matter, as a sentence for the ear. */
export function levelsSentence(
  levels: Levels | null,
  rig: Rig | undefined,
  reach: Reaches,
): string {
  if (!levels || !rig) return "No levels: the engine does not play.";
  const voice = levels.peaks_dbfs[rig.chained];
  const parts = [
    voice === null || voice === undefined
      ? "Voice: waiting for speech."
      : `Voice peaks ${said(voice)} decibels, ${levels.standings[rig.chained]?.text}.`,
  ];
  for (const { id, name } of rig.inputs) {
    const clearance = levels.clearance_db[id];
    if (clearance !== null && clearance !== undefined && levels.standings[id]) {
      parts.push(`Over ${name} ${said(clearance)} decibels, ${levels.standings[id]?.text}.`);
    }
  }
  parts.push(`Viewers ${reachSentence("viewers", reach.viewers)}.`);
  parts.push(`The call ${reachSentence("call", reach.call)}.`);
  return parts.join(" ");
}
