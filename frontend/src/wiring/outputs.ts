/** Words about outputs. */

import { FEED_LABELS } from "../api/facts.gen";
import type { Rig, State } from "../api/client";

/** The device that is a virtual microphone of its source. */
export const VIRTUAL = "virtual";
/** Stands for no device where an empty word cannot. */
export const NO_DEVICE = "-";

/** Label of an output's source: a mix, or an input, processed or raw. */
export function sourceLabel(rig: Rig, source: string): string {
  const feed = Object.entries(FEED_LABELS).find(([name]) => name === source);
  if (feed) return feed[1];
  const [kind, id] = source.split(":");
  const name = rig.inputs.find((input) => input.id === id)?.name ?? "an input that is gone";
  return kind === "input" ? name : `${name} (raw)`;
}

/** "Lantern Street, and a virtual microphone." */
export function leavesSentence(state: State, source: string): string {
  const outputs = state.rig.outputs.filter((output) => output.source === source && output.device);
  if (!outputs.length) return source === "archive" ? "stays here" : "leaves nowhere";
  const names = outputs.map((output) => {
    const known = state.output_devices.find(({ id }) => id === output.device);
    const made = state.computer.virtual.find(({ key }) => key === `microphone:${source}`);
    const label =
      output.device === VIRTUAL
        ? `the virtual microphone “${made?.label ?? "not made yet"}”`
        : (known?.label ?? "a device that is not there");
    const facts = [
      output.is_muted ? "muted" : null,
      output.level_db ? `${output.level_db > 0 ? "+" : "−"}${Math.abs(output.level_db)} dB` : null,
      output.delay_ms ? `${output.delay_ms.toFixed(0)} ms later` : null,
    ].filter(Boolean);
    return facts.length ? `${label} (${facts.join(", ")})` : label;
  });
  const last = names.pop();
  return `leave${source === "call" || source === "you" ? "s" : ""} by ${names.length ? `${names.join(", ")} and ` : ""}${last}`;
}
