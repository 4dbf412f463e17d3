/** What stands in a lane, for those who do not see it. Which lanes there are, and what is wanted of each, comes with the values. */

import type { DrawnLane, LanesData } from "../api/client";
import { decibels } from "../units/format";
import { t } from "../text/text";

/** A lane in one sentence. */
export function laneSentence(lane: DrawnLane, data: LanesData): string {
  const means = (data.means[lane.column] ?? []).filter((one) => one !== null);
  if (!means.length)
    return t("watch.nameNoDataYetTarget", { target: lane.wanted, name: lane.name });
  const last = means[means.length - 1] ?? 0;
  const lowest = Math.min(...(data.lows[lane.column] ?? []).filter((one) => one !== null));
  const highest = Math.max(...(data.highs[lane.column] ?? []).filter((one) => one !== null));
  const text = (value: number) => decibels(value, lane.digits);
  return t("watch.nameLastUnitNowFrom", {
    target: lane.wanted,
    name: lane.name,
    last: text(last),
    unit: lane.unit,
    lowest: text(lowest),
    highest: text(highest),
  });
}
