/** What stands in a lane, for those who do not see it. Which lanes there are, and what is wanted of each, comes with the values. */

import type { DrawnLane, LanesData } from "../api/client";
import { decibels } from "../units/format";

/** A lane in one sentence. */
export function laneSentence(lane: DrawnLane, data: LanesData): string {
  const means = (data.means[lane.column] ?? []).filter((one) => one !== null);
  if (!means.length) return `${lane.name}: nothing yet; ${lane.wanted}`;
  const last = means[means.length - 1] ?? 0;
  const lowest = Math.min(...(data.lows[lane.column] ?? []).filter((one) => one !== null));
  const highest = Math.max(...(data.highs[lane.column] ?? []).filter((one) => one !== null));
  const text = (value: number) => decibels(value, lane.digits);
  return `${lane.name}: ${text(last)} ${lane.unit} last, from ${text(lowest)} to ${text(highest)}; ${lane.wanted}`;
}
