import { useEffect } from "react";
import { redo, undo } from "../live/link";
import { cough } from "../live/silence";
import { useView } from "../view";
import { actionOf, keyName, type Action } from "../keyMap";

function isTyping(event: KeyboardEvent): boolean {
  const { target } = event;
  if (target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement) return true;
  // In an open list letters look for an entry; where a key is chosen, every key is one.
  return (
    target instanceof Element &&
    target.closest('[role="listbox"], [role="menu"], [data-takes-keys]') !== null
  );
}

export function useKeys() {
  useEffect(() => {
    /** What is held, by the key itself: Shift may be let go before it. */
    const held = new Map<string, Action>();
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
      const action = actionOf(keyName(event));
      if (!action || (event.repeat && action.end)) return;
      if (action.end) held.set(event.code, action);
      action.run();
    };
    const onKeyUp = (event: KeyboardEvent) => {
      held.get(event.code)?.end?.();
      held.delete(event.code);
    };
    // The key may be let go while another window has the keyboard: nobody must stay muted by that.
    const endAll = () => {
      held.clear();
      cough(false);
    };
    window.addEventListener("keydown", onKey);
    window.addEventListener("keyup", onKeyUp);
    window.addEventListener("blur", endAll);
    return () => {
      window.removeEventListener("keydown", onKey);
      window.removeEventListener("keyup", onKeyUp);
      window.removeEventListener("blur", endAll);
    };
  }, []);
}
