/** Where in the guide something has its place. */

import type { Rig } from "./api/client";
import { STAGE_LABELS } from "./api/facts.gen";
import { valueAt } from "./api/settings";

type Place = { page: string; at: string };
type StageName = keyof typeof STAGE_LABELS;

/** A stage, on the page of the chain. */
export const stagePlace = (stage: StageName) =>
  STAGE_LABELS[stage].toLowerCase().replaceAll(/[^a-z0-9]+/g, "-");

const PAGES: [RegExp, string][] = [
  [/^targets\.|\.(trim|fader)_db$/, "balance"],
  [/^watch\./, "watch"],
  [/^recording\./, "record"],
];

/** A setting, by its path. */
export function settingPlace(path: string, rig: Rig): Place {
  const inChain = /^(.*\.chain\.[^.]+)\./.exec(path)?.[1];
  const slot = inChain ? (valueAt(rig, inChain) as { stage: StageName } | undefined) : undefined;
  if (slot) return { page: "chain", at: stagePlace(slot.stage) };
  return { page: PAGES.find(([pattern]) => pattern.test(path))?.[1] ?? "wiring", at: "" };
}
