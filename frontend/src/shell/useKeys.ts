import { STAGE_LABELS } from "../api/facts.gen";
import { useEffect } from "react";
import { findStage, stagePath } from "../live/chains";
import { ask, redo, setSetting, undo } from "../live/link";
import { readings } from "../live/readings";
import { hearAs } from "../live/sound";
import { useLive } from "../live/store";
import { openTask, TASKS, useView } from "../view";
import { levelsSentence } from "../live/levelsSentence";
import { cough, toggleBreak, toggleMute } from "../live/silence";
import { speak } from "../live/speak";

function isTyping(event: KeyboardEvent): boolean {
  const { target } = event;
  if (target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement) return true;
  // In an open list letters look for an entry.
  return target instanceof Element && target.closest('[role="listbox"], [role="menu"]') !== null;
}

function toggleBypass() {
  const { stageId } = useView.getState();
  const found = findStage(useLive.getState().state?.rig, stageId);
  if (!found) return;
  const { slot } = found;
  setSetting(`${stagePath(stageId)}.is_bypassed`, !slot.is_bypassed);
  speak(`${STAGE_LABELS[slot.stage]} ${slot.is_bypassed ? "back in" : "bypassed"}`);
}

function backToYou() {
  hearAs("you");
  speak("Hearing as You");
}

function isRecording(): boolean {
  return (useLive.getState().recording?.stage ?? "off") !== "off";
}

function putMark() {
  if (!isRecording()) {
    speak("Nothing is being recorded");
    return;
  }
  ask({ type: "put_mark", name: "" });
  speak("Marked");
}

function startRecording() {
  if (isRecording()) return;
  ask({ type: "start_recording" });
  speak("Recording");
}

function stopRecording() {
  if (!isRecording()) return;
  ask({ type: "stop_recording" });
  speak("Recording stopped");
}

export function useKeys() {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isTyping(event)) return;
      const key = event.key.toLowerCase();
      if (event.ctrlKey || event.metaKey) {
        if (key === "z") (event.shiftKey ? redo : undo)();
        else if (key === "y") redo();
        else return;
        event.preventDefault();
        return;
      }
      if (event.altKey || !useView.getState().hasSingleKeys) return;
      const task = TASKS[Number(key) - 1];
      if (task) openTask(task);
      else if (key === "l") {
        speak(levelsSentence(readings.levels, useLive.getState().state?.rig));
      } else if (key === "b") toggleBypass();
      else if (key === "m") toggleMute();
      else if (key === "p") toggleBreak();
      else if (key === "c") cough(true);
      else if (key === "k") putMark();
      else if (key === "r") (event.shiftKey ? stopRecording : startRecording)();
      else if (key === "y") backToYou();
    };
    const onKeyUp = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() === "c") endCough();
    };
    const endCough = () => cough(false);
    window.addEventListener("keydown", onKey);
    window.addEventListener("keyup", onKeyUp);
    // The key may be let go while another window has the keyboard: nobody must stay muted by that.
    window.addEventListener("blur", endCough);
    return () => {
      window.removeEventListener("keydown", onKey);
      window.removeEventListener("keyup", onKeyUp);
      window.removeEventListener("blur", endCough);
    };
  }, []);
}
