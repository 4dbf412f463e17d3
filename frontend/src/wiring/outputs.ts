/** Words about outputs. */

import { FEED_LABELS } from "../api/facts.gen";
import type { Rig, State } from "../api/client";
import { listed, t } from "../text/text";

/** The device that is a virtual microphone of its source. */
export const VIRTUAL = "virtual";
/** Stands for no device where an empty word cannot. */
export const NO_DEVICE = "-";

/** Label of an output's source: a mix, or an input, processed or raw. */
export function sourceLabel(rig: Rig, source: string): string {
  const feed = Object.entries(FEED_LABELS).find(([name]) => name === source);
  if (feed) return feed[1];
  const [kind, id] = source.split(":");
  const name = rig.inputs.find((input) => input.id === id)?.name ?? t("wiring.deletedInput");
  return kind === "input" ? name : t("wiring.nameRaw", { name });
}

/** "Lantern Street, and a virtual microphone." */
export function leavesSentence(state: State, source: string): string {
  const outputs = state.rig.outputs.filter((output) => output.source === source && output.device);
  if (!outputs.length)
    return source === "archive" ? t("wiring.staysHere") : t("wiring.noDestination");
  const names = outputs.map((output) => {
    const known = state.output_devices.find(({ id }) => id === output.device);
    const made = state.computer.virtual.find(({ key }) => key === `microphone:${source}`);
    const label =
      output.device === VIRTUAL
        ? t("wiring.virtualMicrophoneLabel", { label: made?.label ?? t("wiring.notMadeYet") })
        : (known?.label ?? t("wiring.missingDevice"));
    const facts = [
      output.is_muted ? t("wiring.muted") : null,
      output.level_db ? `${output.level_db > 0 ? "+" : "−"}${Math.abs(output.level_db)} dB` : null,
      output.delay_ms ? t("wiring.msMsLater", { ms: output.delay_ms.toFixed(0) }) : null,
    ].filter(Boolean);
    return facts.length ? `${label} (${facts.join(", ")})` : label;
  });
  return t("wiring.outputOf", { list: listed(names) });
}
