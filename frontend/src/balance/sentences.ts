/** What the pictures of the balance show, in words. */

import type { Balance, BandSight, Rig } from "../api/client";
import { listed, t } from "../text/text";

export const hertz = (hz: number) => (hz >= 1000 ? `${hz / 1000}k` : String(hz));
const nameOf = (rig: Rig | undefined, id: string) =>
  rig?.inputs.find((input) => input.id === id)?.name ?? t("balance.otherSound");

/** Which bands are covered, and by whom, in words. */
export function coveredSentence(rig: Rig | undefined, bands: BandSight[]): string {
  const covered = bands.filter((band) => band.is_covered);
  if (!covered.length) return t("balance.noBandOfYourVoice");
  const by = new Map<string, BandSight[]>();
  for (const band of covered) by.set(band.by, [...(by.get(band.by) ?? []), band]);
  return [...by]
    .map(([id, own]) =>
      t("balance.nameCoversBandCount", {
        name: nameOf(rig, id),
        bands: own.map(({ hz }) => hertz(hz)).join(", "),
        count: own.length,
      }),
    )
    .join("; ")
    .concat(".");
}

/** How often others stood over the voice, and who. */
export function overSentence(rig: Rig | undefined, seconds: Balance["seconds"]): string {
  const covered = seconds.filter(({ over }) => over.length);
  if (!covered.length) return t("balance.nothingWasAboveYourVoice");
  const names = [...new Set(covered.flatMap(({ over }) => over))].map(
    (id) => rig?.inputs.find((input) => input.id === id)?.name ?? id,
  );
  const words = covered.reduce((sum, { speech_s }) => sum + speech_s, 0);
  return t("balance.namesAboveYourVoiceIn", {
    names: listed(names),
    speech: words.toFixed(1),
    count: covered.length,
  });
}
