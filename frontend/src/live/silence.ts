/** The ways to be silent: for everyone, for as long as a key is held, and a break. */

import { ask, setSetting } from "./link";
import { useLive } from "./store";
import { speak } from "./speak";

export function toggleMute() {
  const rig = useLive.getState().state?.rig;
  const voice = rig?.inputs.find(({ id }) => id === rig.chained);
  if (!voice) return;
  setSetting(`inputs.${voice.id}.is_muted`, !voice.is_muted);
  speak(voice.is_muted ? "Your voice is back" : "Your voice is muted for everyone");
}

export function toggleBreak() {
  const rig = useLive.getState().state?.rig;
  if (!rig) return;
  setSetting("is_on_break", !rig.is_on_break);
  speak(rig.is_on_break ? "The break is over" : "Break: viewers hear only the music");
}

let isCoughing = false;

/** Hold to be silent for everyone. */
export function cough(isOn: boolean) {
  if (isOn === isCoughing) return;
  isCoughing = isOn;
  ask({ type: "cough", is_on: isOn });
}

/** What a button does that coughs while it is held, by pointer or by key. */
export const HELD_TO_COUGH = {
  onPointerDown: () => cough(true),
  onPointerUp: () => cough(false),
  onPointerLeave: () => cough(false),
  onKeyDown: ({ key }: { key: string }) => {
    if (key === " " || key === "Enter") cough(true);
  },
  onKeyUp: () => cough(false),
  onBlur: () => cough(false),
};
