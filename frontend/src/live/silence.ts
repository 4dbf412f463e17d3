/** The ways to be silent: for everyone, for as long as a key is held, and a break. */

import { mainVoice } from "./chains";
import { ask, setSetting } from "./link";
import { speakWhenHeard } from "./outcome";
import { useLive } from "./store";
import { t } from "../text/text";

const rigNow = () => useLive.getState().state?.rig;

const voiceNow = () => {
  const rig = rigNow();
  return rig && mainVoice(rig);
};

export function toggleMute() {
  const voice = voiceNow();
  if (!voice || !setSetting(`inputs.${voice.id}.is_muted`, !voice.is_muted)) return;
  speakWhenHeard(
    "mute",
    () => voiceNow()?.is_muted === !voice.is_muted,
    voice.is_muted ? t("live.yourVoiceIsUnmuted") : t("live.yourVoiceIsMutedFor"),
  );
}

export function toggleBreak() {
  const rig = rigNow();
  if (!rig || !setSetting("is_on_break", !rig.is_on_break)) return;
  speakWhenHeard(
    "break",
    () => rigNow()?.is_on_break === !rig.is_on_break,
    rig.is_on_break ? t("live.theBreakHasEnded") : t("live.breakViewersHearOnlyThe"),
  );
}

let isCoughing = false;

/** Hold to be silent for everyone. */
export function cough(isOn: boolean) {
  if (isOn === isCoughing) return;
  isCoughing = isOn;
  ask({ type: "cough", is_on: isOn });
}

// It may be held while a connection breaks: the next one has to know.
useLive.subscribe((now, before) => {
  if (isCoughing && now.status === "open" && before.status !== "open") {
    ask({ type: "cough", is_on: true });
  }
});

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
