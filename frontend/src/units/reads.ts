/** What a setting's present value does, and how far it goes, in words; both come from the server's schema. */

import type { SettingInfo } from "../api/settings";
import { signless } from "./format";

const withUnit = (value: number, unit: string, digits: number) =>
  `${signless(value, digits)} ${unit}`.trim();

/** What the value comes to: the last of the readings that begin at it or below. */
export function readAs(value: number, reads: SettingInfo["reads"]): string {
  return reads.filter(([from]) => value >= from).at(-1)?.[1] ?? reads[0]?.[1] ?? "";
}

export function nowSentence(value: number, info: SettingInfo, digits: number): string {
  const read = readAs(value, info.reads);
  const now = withUnit(value, info.unit, digits);
  return read ? `Now ${now}: ${read}.` : `Now ${now}.`;
}

export function rangeSentence(info: SettingInfo, digits: number): string {
  const [low, high] = [info.minimum, info.maximum].map((one) => signless(one, digits));
  const usual =
    typeof info.defaultValue === "number"
      ? `; ${withUnit(info.defaultValue, info.unit, digits)} at first`
      : "";
  return (
    `From ${low} to ${high} ${info.unit}`.trim() +
    `${usual}. An arrow key moves it by ${info.step}.`
  );
}
