import type { Levels, Reaches, Rig } from "../api/client";
import { reachSentence } from "./reach";
import { spokenNumber } from "../units/format";
import { t } from "../text/text";

/** The levels that matter, as a sentence for the ear. */
export function levelsSentence(
  levels: Levels | null,
  rig: Rig | undefined,
  reach: Reaches,
): string {
  if (!levels || !rig) return t("live.noLevelsTheAudioEngine");
  const voice = levels.peaks_dbfs[rig.chained];
  const parts = [
    voice === null || voice === undefined
      ? t("live.voiceWaitingForSpeech")
      : t("live.voicePeaksVoiceDecibelsText", {
          voice: spokenNumber(voice, 1),
          text: levels.standings[rig.chained]?.text ?? "",
        }),
  ];
  for (const { id, name } of rig.inputs) {
    const clearance = levels.clearance_db[id];
    const standing = levels.standings[id];
    if (clearance !== null && clearance !== undefined && standing) {
      parts.push(
        t("live.aboveNameClearanceDecibelsText", {
          name,
          clearance: spokenNumber(clearance, 1),
          text: standing.text,
        }),
      );
    }
  }
  parts.push(t("live.viewersReach", { reach: reachSentence("viewers", reach.viewers, rig) }));
  parts.push(t("live.callReach", { reach: reachSentence("call", reach.call, rig) }));
  return parts.join(" ");
}
