/** What single keys do, and which key does it: the one list that keys, their dialog and their changes are made from. A key is kept
 * by its name in lower case; `R` with Shift is `shift+r`. */

import { create } from "zustand";
import { STAGE_LABELS } from "./api/facts.gen";
import { stagePlace } from "./guidePlace";
import { openGuide } from "./guideView";
import { findStage, stagePath } from "./live/chains";
import { levelsSentence } from "./live/levelsSentence";
import { ask, setSetting } from "./live/link";
import { speakWhen, speakWhenHeard } from "./live/outcome";
import { readings } from "./live/readings";
import { cough, toggleBreak, toggleMute } from "./live/silence";
import { hearAs } from "./live/sound";
import { speak } from "./live/speak";
import { useLive } from "./live/store";
import { remember, remembered } from "./remembered";
import { goToTask, taskLabel, TASKS, useView } from "./view";
import { t } from "./text/text";

export type Action = {
  id: string;
  does: string;
  usual: string;
  run: () => void;
  /** What ends it, when the key is let go. */
  end?: () => void;
};

function toggleBypass() {
  const { stageId } = useView.getState();
  const found = findStage(useLive.getState().state?.rig, stageId);
  if (!found) return;
  const { slot } = found;
  if (!setSetting(`${stagePath(stageId)}.is_bypassed`, !slot.is_bypassed)) return;
  const now = () => findStage(useLive.getState().state?.rig, stageId)?.slot.is_bypassed;
  speakWhenHeard(
    `bypass:${stageId}`,
    () => now() === !slot.is_bypassed,
    t("page.bypassSpoken", {
      stage: STAGE_LABELS[slot.stage],
      state: slot.is_bypassed ? "active" : "bypassed",
    }),
  );
}

function backToYou() {
  hearAs("you");
  speak(t("page.monitoringYou"));
}

const stageNow = () => useLive.getState().recording?.stage ?? "off";
const isRecording = () => stageNow() !== "off";
const marksNow = () => useLive.getState().recording?.marks.length ?? 0;

/** A drive may need so long until it keeps anything, or has kept all. */
const DRIVE_PATIENCE_MS = 15_000;

/** Marks this moment in the recording, and says so. */
export function putMark() {
  if (!isRecording()) {
    speak(t("page.notRecording"));
    return;
  }
  const before = marksNow();
  if (ask({ type: "put_mark", name: "" }))
    speakWhen("mark", () => marksNow() > before, t("page.markAdded"));
}

function startRecording() {
  if (isRecording() || !ask({ type: "start_recording" })) return;
  speakWhen("recording", () => stageNow() === "running", t("page.recording"), DRIVE_PATIENCE_MS);
}

function stopRecording() {
  if (!isRecording() || !ask({ type: "stop_recording" })) return;
  speakWhen("recording", () => !isRecording(), t("page.recordingStopped"), DRIVE_PATIENCE_MS);
}

/** The guide's place on what is shown. */
export function openGuideHere() {
  const { task, stageId } = useView.getState();
  const stage = findStage(useLive.getState().state?.rig, stageId)?.slot.stage;
  if (task === "chain") openGuide("chain", stage ? stagePlace(stage) : "");
  else openGuide(task.replace("_", "-"));
}

const sayLevels = () =>
  speak(levelsSentence(readings.levels, useLive.getState().state?.rig, readings.reach));

export const ACTIONS: Action[] = [
  ...TASKS.map((task, n) => ({
    id: `task.${task}`,
    does: t("page.openTask", { task: taskLabel(task) }),
    usual: String(n + 1),
    run: () => goToTask(task),
  })),
  { id: "levels", does: t("page.readOutTheLevels"), usual: "l", run: sayLevels },
  { id: "mute", does: t("page.muteOrUnmuteYourVoice"), usual: "m", run: toggleMute },
  {
    id: "cough",
    does: t("page.holdYourVoiceIsSilent"),
    usual: "c",
    run: () => cough(true),
    end: () => cough(false),
  },
  {
    id: "break",
    does: t("page.breakViewersHearOnlyThe"),
    usual: "p",
    run: toggleBreak,
  },
  { id: "record", does: t("page.record"), usual: "r", run: startRecording },
  { id: "record.stop", does: t("page.stopTheRecording"), usual: "shift+r", run: stopRecording },
  { id: "mark", does: t("page.addAMarkToThe"), usual: "k", run: putMark },
  { id: "hear.you", does: t("page.setMonitorToYou"), usual: "y", run: backToYou },
  {
    id: "bypass",
    does: t("page.bypassTheOpenStageOr"),
    usual: "b",
    run: toggleBypass,
  },
  { id: "guide", does: t("page.openTheGuideForWhat"), usual: "?", run: openGuideHere },
];

const KEPT = "keys";

/** Which keys were chosen instead of the usual ones, by the action's id; "" for none. */
function kept(): Record<string, string> {
  try {
    const found: unknown = JSON.parse(remembered(KEPT) ?? "{}");
    return Object.fromEntries(
      Object.entries(found as object)
        .filter(([, key]) => typeof key === "string")
        // Older versions named a task by its label.
        .map(([id, key]) => [id.toLowerCase().replace(" ", "_"), key]),
    ) as Record<string, string>;
  } catch {
    return {};
  }
}

export const useChosenKeys = create<{ keys: Record<string, string> }>(() => ({ keys: kept() }));

export const keyOf = (action: Action, keys: Record<string, string>) =>
  keys[action.id] ?? action.usual;

/** A key as it is kept, of an event; "" of what no action can have. */
export function keyName(event: { key: string; shiftKey: boolean }): string {
  const key = event.key.toLowerCase();
  const isOne = key.length === 1 && key !== " ";
  if (!isOne && !/^f\d{1,2}$/.test(key)) return "";
  const isLetter = key.toUpperCase() !== key;
  return event.shiftKey && (isLetter || !isOne) ? `shift+${key}` : key;
}

/** A key as it is written: "Shift R". */
export const keyLabel = (key: string) =>
  key
    ? key
        .split("+")
        .map((part) => part.charAt(0).toUpperCase() + part.slice(1))
        .join(" ")
    : t("page.none");

/** How an action's key is written; "" if it has none. */
export function useKeyLabel(id: string): string {
  const { keys } = useChosenKeys();
  const action = ACTIONS.find((one) => one.id === id);
  const key = action ? keyOf(action, keys) : "";
  return key && keyLabel(key);
}

/** The same behind a sentence: " (M)". */
export function useKeyHint(id: string): string {
  const label = useKeyLabel(id);
  return label && ` (${label})`;
}

/** An action by its key; undefined if no action has it. */
export function actionOf(key: string): Action | undefined {
  const { keys } = useChosenKeys.getState();
  return key ? ACTIONS.find((action) => keyOf(action, keys) === key) : undefined;
}

/** Give an action another key; whatever had it goes without. */
export function chooseKey(id: string, key: string) {
  const keys = { ...useChosenKeys.getState().keys };
  for (const other of ACTIONS) if (key && keyOf(other, keys) === key) keys[other.id] = "";
  keys[id] = key;
  keep(keys);
}

export const usualKeys = () => keep({});

function keep(keys: Record<string, string>) {
  remember(KEPT, JSON.stringify(keys));
  useChosenKeys.setState({ keys });
}
