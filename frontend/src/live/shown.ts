/** Whether this page is visible. A minimized window or a tab in the background needs no figures and draws nothing. */

import { create } from "zustand";
import { ask } from "./link";
import { useLive } from "./store";

export const useIsShown = create(() => document.visibilityState !== "hidden");

const tell = () => {
  const isShown = useIsShown.getState();
  if (useLive.getState().status === "open") ask({ type: "be_shown", is_on: isShown });
};

/** Tell the server, now and on every connection anew, as long as the page lives. */
export function sayWhetherShown() {
  document.addEventListener("visibilitychange", () => {
    useIsShown.setState(document.visibilityState !== "hidden", true);
    tell();
  });
  useLive.subscribe((now, before) => {
    if (now.status === "open" && before.status !== "open" && !useIsShown.getState()) tell();
  });
}
