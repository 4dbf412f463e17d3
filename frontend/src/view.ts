/** What this window looks at: nothing here is a setting of the rig. */

import { create } from "zustand";
import { remember, remembered } from "./remembered";
import { t } from "./text/text";

export const TASKS = ["wiring", "sound_check", "chain", "balance", "record", "watch"] as const;
export type Task = (typeof TASKS)[number];
export type Theme = "dusk" | "daylight";

export const WIRING_VIEWS = ["sends", "outputs", "devices", "gain", "delay", "addresses"] as const;
export type WiringView = (typeof WIRING_VIEWS)[number];

type View = {
  task: Task;
  wiring: WiringView;
  /** The input whose settings are open in Wiring. */
  inputId: string | null;
  /** How often a task was gone to by keyboard. */
  arrivals: number;
  /** The device whose knobs are open in Wiring. */
  deviceId: string;
  /** The input whose chain is shown; "" is the main voice. */
  chosenId: string;
  stageId: string;
  theme: Theme;
  hasSingleKeys: boolean;
};

export const useView = create<View>(() => ({
  task: "chain",
  wiring: "sends",
  inputId: null,
  arrivals: 0,
  deviceId: "attic",
  chosenId: "",
  stageId: "gate",
  theme: document.documentElement.dataset.theme === "daylight" ? "daylight" : "dusk",
  hasSingleKeys: remembered("singleKeys") !== "off",
}));

export const taskLabel = (task: Task) => t(`page.tasks.${task}`);
export const wiringLabel = (view: WiringView) => t(`page.wiringViews.${view}`);

export const openTask = (task: Task) => useView.setState({ task });
/** By keyboard: the keyboard goes on from there. */
export const goToTask = (task: Task) =>
  useView.setState(({ arrivals }) => ({ task, arrivals: arrivals + 1 }));
export const openStage = (stageId: string) => useView.setState({ task: "chain", stageId });
/** Show an input's chain, from its first stage on. */
export const openChain = (chosenId: string) =>
  useView.setState({ task: "chain", chosenId, stageId: "" });

export const openWiring = (wiring: WiringView) => useView.setState({ task: "wiring", wiring });
export const openInput = (inputId: string | null) => useView.setState({ inputId });
export const openDevice = (deviceId: string) =>
  useView.setState({ task: "wiring", wiring: "devices", deviceId });

export function setTheme(theme: Theme) {
  document.documentElement.dataset.theme = theme;
  remember("theme", theme);
  useView.setState({ theme });
}

export function setSingleKeys(isOn: boolean) {
  remember("singleKeys", isOn ? "on" : "off");
  useView.setState({ hasSingleKeys: isOn });
}
