/** What a setting's present value does, and how far it goes, in words; both come from the server's schema. */

import type { SettingInfo } from "../api/settings";
import { signless } from "./format";
import { t } from "../text/text";

const withUnit = (value: number, unit: string, digits: number) =>
  `${signless(value, digits)} ${unit}`.trim();

/** What the value comes to: the last of the readings that begin at it or below. */
export function readAs(value: number, reads: SettingInfo["reads"]): string {
  return reads.filter(([from]) => value >= from).at(-1)?.[1] ?? reads[0]?.[1] ?? "";
}

export function nowSentence(value: number, info: SettingInfo, digits: number): string {
  const read = readAs(value, info.reads);
  const now = withUnit(value, info.unit, digits);
  return read ? t("units.nowNowRead", { now, read }) : t("units.nowNow", { now });
}

export function rangeSentence(info: SettingInfo, digits: number): string {
  const [low, high] = [info.minimum, info.maximum].map((one) => signless(one, digits));
  const { defaultValue: first } = info;
  return t("units.range", {
    low: low ?? "",
    high: high ?? "",
    unit: info.unit || " ",
    usual: typeof first === "number" ? withUnit(first, info.unit, digits) : "none",
    step: info.step,
  }).replace(/ +(?=[;.])/, "");
}
