/** Says what was asked for once it is so, by what the server and the engine say; and that it is not, where it does not come to that. */

import { readings } from "./readings";
import { speak } from "./speak";
import { useLive } from "./store";

const PATIENCE_MS = 3000;

/** Whether the engine works by the newest state: its readings name the plan that they were made under. */
export function isHeard(): boolean {
  return readings.plan >= (useLive.getState().state?.plan ?? Infinity);
}

export function speakWhen(isSo: () => boolean, sentence: string, patienceMs = PATIENCE_MS) {
  const end = (said: string) => {
    for (const stop of stops) stop();
    clearTimeout(timer);
    speak(said);
  };
  const look = () => {
    if (isSo()) end(sentence);
  };
  const stops = [useLive.subscribe(look), readings.subscribe(look)];
  const timer = setTimeout(() => end(`Not yet: ${sentence}`), patienceMs);
}
