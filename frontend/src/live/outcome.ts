/** Says what was asked for once it is so, by what the server and the engine say; and that it is not, where it does not come to that. */

import { readings } from "./readings";
import { speak } from "./speak";
import { useLive } from "./store";
import { t } from "../text/text";

const PATIENCE_MS = 3000;

/** What was said not to be so yet is still said when it comes, so long. */
const LATE_MS = 60_000;

/** Whether the engine works by the newest state: its readings name the plan that they were made under. */
export function isHeard(): boolean {
  return readings.plan >= (useLive.getState().state?.plan ?? Infinity);
}

const waiting = new Map<string, () => void>();

/** A newer wish about the same calls the older one off: it would say what is not wanted any more. So does `isOver`. */
export function speakWhen(
  about: string,
  isSo: () => boolean,
  sentence: string,
  patienceMs = PATIENCE_MS,
  isOver = () => false,
) {
  waiting.get(about)?.();
  const callOff = () => {
    for (const stop of stops) stop();
    clearTimeout(timer);
    waiting.delete(about);
  };
  const look = () => {
    if (isOver()) return callOff();
    if (!isSo()) return;
    callOff();
    speak(sentence);
  };
  const stops = [useLive.subscribe(look), readings.subscribe(look)];
  let timer = setTimeout(() => {
    speak(t("live.notYetSentence", { sentence }));
    timer = setTimeout(callOff, LATE_MS);
  }, patienceMs);
  waiting.set(about, callOff);
}

/** The same of a setting: once the engine works by it. Undone before that, or changed back elsewhere, nothing is said of it. */
export function speakWhenHeard(about: string, isSet: () => boolean, sentence: string) {
  let wasSet = false;
  const isTakenBack = () => {
    const isNow = isSet();
    wasSet ||= isNow;
    return wasSet && !isNow;
  };
  speakWhen(about, () => isHeard() && isSet(), sentence, PATIENCE_MS, isTakenBack);
}
