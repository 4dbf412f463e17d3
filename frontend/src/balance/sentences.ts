/** What the pictures of the balance show, in words. */

import type { Balance, BandSight, Rig } from "../api/client";

export const hertz = (hz: number) => (hz >= 1000 ? `${hz / 1000}k` : String(hz));
const nameOf = (rig: Rig | undefined, id: string) =>
  rig?.inputs.find((input) => input.id === id)?.name ?? "the rest";

/** Which bands are covered, and by whom, in words. */
export function coveredSentence(rig: Rig | undefined, bands: BandSight[]): string {
  const covered = bands.filter((band) => band.is_covered);
  if (!covered.length) return "No band of your voice is covered.";
  const by = new Map<string, BandSight[]>();
  for (const band of covered) by.set(band.by, [...(by.get(band.by) ?? []), band]);
  return [...by]
    .map(
      ([id, own]) =>
        `${nameOf(rig, id)} covers ${own.length === 1 ? "one band" : `${own.length} bands`} (${own.map(({ hz }) => hertz(hz)).join(", ")} Hz)`,
    )
    .join("; ")
    .concat(".");
}

/** How often others stood over the voice, and who. */
export function overSentence(rig: Rig | undefined, seconds: Balance["seconds"]): string {
  const covered = seconds.filter(({ over }) => over.length);
  if (!covered.length) return "Nothing stood over your voice.";
  const names = [...new Set(covered.flatMap(({ over }) => over))].map(
    (id) => rig?.inputs.find((input) => input.id === id)?.name ?? id,
  );
  const words = covered.reduce((sum, { speech_s }) => sum + speech_s, 0);
  return `${names.join(" and ")} over you in ${covered.length} ${covered.length === 1 ? "second" : "seconds"}: ${words.toFixed(1)} s of words.`;
}
