/** What an address looks like, by what is heard and how. */

import { LOCALE, t } from "../text/text";

export type AddressForm = "page" | "wav" | "flac" | "ogg";

export const ADDRESS_FORMS: { value: AddressForm; label: string }[] = [
  { value: "page", label: t("wiring.page") },
  { value: "wav", label: "WAV" },
  { value: "flac", label: "FLAC" },
  { value: "ogg", label: t("wiring.opus") },
];

/** `heard` is a feed's name, or `input:` and an input's id. */
export function addressOf(origin: string, heard: string, form: AddressForm, token: string): string {
  const [kind, id] = heard.split(":");
  const where = kind === "input" ? `inputs/${id}` : `feeds/${heard}`;
  const path = form === "page" ? `/listen/${heard}` : `/api/${where}/stream.${form}`;
  return `${origin}${path}?token=${token}`;
}

/** In words; both in seconds since 1970. */
export function lastUsed(usedAt: number | null, now: number): string {
  if (usedAt === null) return t("wiring.never");
  const minutes = Math.floor((now - usedAt) / 60);
  if (minutes < 2) return t("wiring.justNow");
  if (minutes < 120) return AGO.format(-minutes, "minute");
  const hours = Math.floor(minutes / 60);
  return hours < 48 ? AGO.format(-hours, "hour") : AGO.format(-Math.floor(hours / 24), "day");
}

const AGO = new Intl.RelativeTimeFormat(LOCALE);
