/** The bands of an EQ as they are drawn and moved, and the zones of a voice on the frequency axis. */

import { VOICE_ZONES } from "../api/facts.gen";
import type { EqSettings } from "../api/client";
import { t } from "../text/text";

export type BandName = keyof EqSettings;

export const BANDS: { name: BandName; label: string; short: string }[] = [
  { name: "high_pass", label: t("pictures.highPass"), short: "HP" },
  { name: "low_shelf", label: t("pictures.lowShelf"), short: "LS" },
  { name: "bell_1", label: t("pictures.bell1"), short: "1" },
  { name: "bell_2", label: t("pictures.bell2"), short: "2" },
  { name: "bell_3", label: t("pictures.bell3"), short: "3" },
  { name: "bell_4", label: t("pictures.bell4"), short: "4" },
  { name: "bell_5", label: t("pictures.bell5"), short: "5" },
  { name: "bell_6", label: t("pictures.bell6"), short: "6" },
  { name: "high_shelf", label: t("pictures.highShelf"), short: "HS" },
  { name: "low_pass", label: t("pictures.lowPass"), short: "LP" },
];

/** Where in a voice a problem or a virtue lies, in Hz. */
export const ZONES = VOICE_ZONES.map(({ name, from_hz, to_hz }) => ({
  label: name,
  from: from_hz,
  to: to_hz,
}));

export const LOWEST_HZ = 20;
export const HIGHEST_HZ = 20000;

/** Share of the axis, 0 to 1, at which a frequency lies: octaves are equally wide. */
export const shareOfHz = (hz: number) =>
  Math.log(hz / LOWEST_HZ) / Math.log(HIGHEST_HZ / LOWEST_HZ);

export const hzOfShare = (share: number) => LOWEST_HZ * (HIGHEST_HZ / LOWEST_HZ) ** share;

/** Bandwidth in octaves of a bell of a Q (between the points at half its gain). */
export const octavesOf = (q: number) => (2 * Math.asinh(1 / (2 * q))) / Math.LN2;

/** A frequency as it is read: 80, 440, 1.2k. */
export function hertz(hz: number): string {
  if (hz < 1000) return hz.toFixed(0);
  return `${(hz / 1000).toFixed(hz < 9950 ? 1 : 0).replace(/\.0$/, "")}k`;
}
