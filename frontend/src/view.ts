/** What this window looks at: nothing here is a setting of the rig. */

import { create } from "zustand";

export const TASKS = ["Wiring", "Chain", "Balance"] as const;
export type Task = (typeof TASKS)[number];
export type Theme = "dusk" | "daylight";

type View = {
  task: Task;
  stageId: string;
  theme: Theme;
  hasSingleKeys: boolean;
};

export const useView = create<View>(() => ({
  task: "Chain",
  stageId: "gate",
  theme: document.documentElement.dataset.theme === "daylight" ? "daylight" : "dusk",
  hasSingleKeys: localStorage.getItem("goshawk.singleKeys") !== "off",
}));

export const openTask = (task: Task) => useView.setState({ task });
export const openStage = (stageId: string) => useView.setState({ task: "Chain", stageId });

export function setTheme(theme: Theme) {
  document.documentElement.dataset.theme = theme;
  localStorage.setItem("goshawk.theme", theme);
  useView.setState({ theme });
}

export function setSingleKeys(isOn: boolean) {
  localStorage.setItem("goshawk.singleKeys", isOn ? "on" : "off");
  useView.setState({ hasSingleKeys: isOn });
}
