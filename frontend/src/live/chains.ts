/** Every input has a chain; every stage has an id of its own in the whole rig. */

import type { InputSettings, Rig, Slot } from "../api/client";
import { useLive } from "./store";

type Place = { input: InputSettings; slot: Slot; index: number };

/** A stage by its id, and where it stands; null if there is none. */
export function findStage(rig: Rig | undefined, stageId: string): Place | null {
  for (const input of rig?.inputs ?? []) {
    const index = input.chain.findIndex(({ id }) => id === stageId);
    const slot = input.chain[index];
    if (slot) return { input, slot, index };
  }
  return null;
}

/** Where a stage's settings are, as a path; "" if there is no such stage. */
export function stagePath(stageId: string): string {
  const found = findStage(useLive.getState().state?.rig, stageId);
  return found ? `inputs.${found.input.id}.chain.${stageId}` : "";
}

export const useStage = (stageId: string): Place | null =>
  findStage(
    useLive((live) => live.state?.rig),
    stageId,
  );

/** Whether a stage is in a voice's chain: then its sound is spoken of as speech. */
export const useIsVoice = (stageId: string): boolean => useStage(stageId)?.input.role === "voice";

export const mainVoice = (rig: Rig): InputSettings | undefined =>
  rig.inputs.find(({ id }) => id === rig.chained);

/** The station at which an input comes in. */
export const comesIn = (input: InputSettings, rig: Rig): string =>
  input.id === rig.chained ? "microphone" : `into/${input.id}`;
