import type { Levels } from "../api/client";
import { decibels, MINUS } from "../units/format";

const said = (value: number | null | undefined) => decibels(value).replace(MINUS, "minus ");

/** The levels that matter, as a sentence for the ear. */
export function levelsSentence(levels: Levels | null): string {
  if (!levels) return "No levels: the engine does not play.";
  const { voice } = levels.peaks_dbfs;
  const parts = [
    voice === null || voice === undefined
      ? "Voice: waiting for speech."
      : `Voice peaks ${said(voice)} decibels, ${levels.standings.voice?.text}.`,
  ];
  for (const name of ["game", "music"] as const) {
    const clearance = levels.clearance_db[name];
    if (clearance !== null && clearance !== undefined) {
      parts.push(`Over ${name} ${said(clearance)} decibels, ${levels.standings[name]?.text}.`);
    }
  }
  parts.push(levels.voice_reaches_viewers ? "Viewers hear you." : "Viewers do not hear you.");
  return parts.join(" ");
}
