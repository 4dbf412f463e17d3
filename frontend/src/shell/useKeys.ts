import { useEffect } from "react";
import type { Levels } from "../api/client";
import { redo, setSetting, undo } from "../live/link";
import { readings } from "../live/readings";
import { useLive } from "../live/store";
import { MINUS, decibels } from "../units/format";
import { openTask, TASKS, useView } from "../view";
import { speak } from "./speak";

function isTyping(event: KeyboardEvent): boolean {
  return event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement;
}

const said = (value: number | null | undefined) => decibels(value).replace(MINUS, "minus ");

/** The levels that matter, as a sentence for the ear. */
export function levelsSentence(levels: Levels | null): string {
  if (!levels) return "No levels: the engine does not play.";
  const { voice } = levels.peaks_dbfs;
  const parts = [
    voice === null || voice === undefined
      ? "Voice: waiting for speech."
      : `Voice peaks ${said(voice)} decibels, ${levels.standings.voice?.text}.`,
  ];
  for (const name of ["game", "music"] as const) {
    const clearance = levels.clearance_db[name];
    if (clearance !== null && clearance !== undefined) {
      parts.push(`Over ${name} ${said(clearance)} decibels, ${levels.standings[name]?.text}.`);
    }
  }
  parts.push(levels.voice_reaches_viewers ? "Viewers hear you." : "Viewers do not hear you.");
  return parts.join(" ");
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
