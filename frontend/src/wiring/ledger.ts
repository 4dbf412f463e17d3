/** The delay from the microphone to a listener, part by part, as it is drawn. */

import { STAGE_LABELS } from "../api/facts.gen";
import type { Levels, Rig } from "../api/client";
import { findStage } from "../live/chains";
import { t } from "../text/text";

type Part = { name: string; ms: number; startMs: number };

const OWN_NAMES: Record<string, string> = {
  ceiling: t("wiring.ceilingLookAhead"),
  "feed delay": t("wiring.feedDelay"),
  "clock follower": t("wiring.clockCorrection"),
  "out, one block": t("wiring.outputBlock"),
  "output delay": t("wiring.outputDelay"),
  "output's clock follower": t("wiring.outputClockCorrection"),
  "the output's device": t("wiring.outputDeviceReported"),
  "the device": t("wiring.microphoneDeviceReported"),
  "other chains": t("wiring.alignmentWithASlowerChain"),
  ducking: t("wiring.duckerLookAhead"),
  "own delay": t("wiring.voiceDelay"),
};

/** The parts of the way with their names; stages without delay are gathered in one line. */
export function partsOf(entries: Levels["ledgers"][string], rig: Rig): Part[] {
  const named = entries.map(({ name, ms }) => {
    const slot = findStage(rig, name)?.slot;
    return {
      name: slot ? STAGE_LABELS[slot.stage] : (OWN_NAMES[name] ?? name),
      ms,
      isStage: Boolean(slot),
    };
  });
  const quick = named.filter(({ isStage, ms }) => isStage && ms < 0.005);
  const shown = named.filter(({ ms }) => ms >= 0.005);
  return [
    ...shown.map(({ name, ms }, i) => ({
      name,
      ms,
      startMs: shown.slice(0, i).reduce((sum, part) => sum + part.ms, 0),
    })),
    ...(quick.length
      ? [{ name: quick.map(({ name }) => name).join(", "), ms: 0, startMs: 0 }]
      : []),
  ];
}
