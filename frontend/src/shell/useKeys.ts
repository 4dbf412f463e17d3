import { useEffect } from "react";
import { redo, setSetting, undo } from "../live/link";
import { readings } from "../live/readings";
import { useLive } from "../live/store";
import { openTask, TASKS, useView } from "../view";
import { levelsSentence } from "./levelsSentence";
import { speak } from "./speak";

function isTyping(event: KeyboardEvent): boolean {
  return event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement;
}

function toggleBypass() {
  const { stageId } = useView.getState();
  const slot = useLive.getState().state?.rig.chain.find(({ id }) => id === stageId);
  if (!slot) return;
  setSetting(`chain.${stageId}.is_bypassed`, !slot.is_bypassed);
  speak(`${stageId} ${slot.is_bypassed ? "back in" : "bypassed"}`);
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
      else if (key === "l") speak(levelsSentence(readings.levels));
      else if (key === "b") toggleBypass();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
