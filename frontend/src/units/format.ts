/** How numbers are written: a true minus sign, one unit, nothing that jumps in width. */

import { t } from "../text/text";

export const MINUS = "−";

export function signless(value: number, digits: number): string {
  const text = Math.abs(value).toFixed(digits);
  return value < 0 && Number(text) !== 0 ? MINUS + text : text;
}

/** A level or gain, or a dash while there is none. */
export function decibels(value: number | null | undefined, digits = 1): string {
  return value === null || value === undefined ? "–" : signless(value, digits);
}

/** What is below this is not heard: no figure is given of it. */
export const LEAST_HEARD_DBFS = -90;

/** A level in words; a dash while it cannot be told. */
export function levelWords(dbfs: number | undefined, digits: number): string {
  if (dbfs === undefined) return "–";
  return dbfs > LEAST_HEARD_DBFS ? `${signless(dbfs, digits)} dBFS` : t("units.silent");
}

/** As many digits as a step needs: 0.1 → 1, 5 → 0. */
export function digitsOf(step: number): number {
  return Math.max(0, Math.ceil(-Math.log10(step) - 1e-9));
}

const SPOKEN_UNITS: Record<string, string> = {
  dB: t("units.decibels"),
  dBFS: t("units.decibelsFullScale"),
  dBTP: t("units.decibelsTruePeak"),
  ms: t("units.milliseconds"),
  Hz: t("units.hertz"),
  "%": t("units.percent"),
  ": 1": t("units.toOne"),
};

/** A number as a screen reader says it: "minus 18.0". */
export function spokenNumber(value: number, digits: number): string {
  const text = signless(value, digits);
  return text.startsWith(MINUS) ? t("units.minus", { number: text.slice(1) }) : text;
}

/** What a screen reader says of a value: "minus 18.0 decibels". */
export function spoken(value: number, unit: string, digits: number): string {
  return `${spokenNumber(value, digits)} ${SPOKEN_UNITS[unit] ?? unit}`.trim();
}

/** A number that a person typed, with any minus sign or decimal comma; null if it is none. */
export function parseNumber(text: string): number | null {
  const plain = text.trim().replace(MINUS, "-").replace(",", ".");
  const match = /^-?\d*\.?\d+/.exec(plain);
  return match ? Number(match[0]) : null;
}

/** Hours, minutes and seconds: "1:12:44". */
export function clock(seconds: number): string {
  const whole = Math.max(0, Math.floor(seconds));
  const two = (value: number) => String(value).padStart(2, "0");
  return `${Math.floor(whole / 3600)}:${two(Math.floor(whole / 60) % 60)}:${two(whole % 60)}`;
}

/** How much lies on a disk: "1.9 GB". */
export function diskSize(bytes: number): string {
  if (bytes >= 1e9) return `${(bytes / 1e9).toFixed(1)} GB`;
  return bytes >= 1e6 ? `${(bytes / 1e6).toFixed(0)} MB` : `${(bytes / 1e3).toFixed(0)} kB`;
}

/** How long something will do, in the one unit that says it: "214 hours". */
export function roughly(seconds: number): string {
  if (seconds >= 2 * 3600) return t("units.hourCount", { count: Math.floor(seconds / 3600) });
  return seconds >= 120
    ? t("units.minuteCount", { count: Math.floor(seconds / 60) })
    : t("units.secondCount", { count: Math.floor(seconds) });
}
