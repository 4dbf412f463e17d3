/** MIDI controls of this computer: what they move stands in the rig. Pure of what actions do: they are given. */

import { create } from "zustand";
import { settingInfo, valueAt } from "../api/settings";
import { fromTravel, toTravel } from "../units/taper";
import { setSetting, setTogether, trySetting } from "./link";
import { say, useLive } from "./store";
import { t } from "../text/text";

type Midi = {
  isOn: boolean;
  /** The names of what is plugged in. */
  names: string[];
  /** What the next control that moves will be for; "" while none is learned. */
  learning: string;
};

export const useMidi = create<Midi>(() => ({ isOn: false, names: [], learning: "" }));

export type Heard = { control: string; value: number };
const RESTS_MS = 400;
const MOST = 127;

/** A message as a control and its value (0 to 127); null of what is neither a note nor a control change. */
export function heardOf(data: ArrayLike<number>): Heard | null {
  const [status = 0, number = 0, value = 0] = [data[0], data[1], data[2]];
  const kind = status >> 4;
  const channel = (status & 15) + 1;
  if (kind === 11) return { control: `control ${channel} ${number}`, value };
  if (kind === 9) return { control: `note ${channel} ${number}`, value };
  if (kind === 8) return { control: `note ${channel} ${number}`, value: 0 };
  return null;
}

/** The list with one control for one thing, and no other for either. */
export function boundTo(midi: readonly string[], control: string, goal: string): string[] {
  const others = midi.filter(
    (one) => !one.startsWith(`${control}: `) && !one.endsWith(`: ${goal}`),
  );
  return [...others, `${control}: ${goal}`];
}

/** What a control is for; "" if nothing. */
export const goalOf = (midi: readonly string[], control: string) =>
  midi.find((one) => one.startsWith(`${control}: `))?.slice(control.length + 2) ?? "";

export type MidiAction = { run: () => void; end?: (() => void) | undefined };
const resting = new Map<string, number>();
const held = new Set<string>();

/** Do what a control stands for. */
export function obey({ control, value }: Heard, actionOf: (id: string) => MidiAction | undefined) {
  const { learning } = useMidi.getState();
  const { state, known } = useLive.getState();
  if (!state || !known) return;
  if (learning) {
    if (value === 0) return;
    useMidi.setState({ learning: "" });
    setTogether({ midi: boundTo(state.rig.midi, control, learning) });
    return;
  }
  const goal = goalOf(state.rig.midi, control);
  if (!goal) return;
  const action = actionOf(goal);
  if (action) {
    // A button gives its highest value when it is pressed; a fader passes its middle.
    const isDown = value > MOST / 2;
    if (isDown === held.has(control)) return;
    if (isDown) held.add(control);
    else held.delete(control);
    if (isDown) action.run();
    else action.end?.();
    return;
  }
  if (typeof valueAt(state.rig, goal) !== "number") return;
  const info = settingInfo(known, state.rig, goal);
  const [low, high] = [toTravel(info.minimum, info), toTravel(info.maximum, info)];
  const wanted = fromTravel(low + (value / MOST) * (high - low), info);
  trySetting(goal, wanted);
  window.clearTimeout(resting.get(goal));
  resting.set(
    goal,
    window.setTimeout(() => setSetting(goal, wanted), RESTS_MS),
  );
}

/** Ask the browser for its MIDI devices, and listen to them from then on. */
export async function openControllers(actionOf: (id: string) => MidiAction | undefined) {
  const none = t("live.thisBrowserDoesNotSupport");
  if (!("requestMIDIAccess" in navigator)) {
    say("trouble", none);
    return;
  }
  try {
    const access = await navigator.requestMIDIAccess();
    const listen = () => {
      const inputs = [...access.inputs.values()];
      for (const input of inputs) {
        input.onmidimessage = ({ data }) => {
          const heard = data && heardOf(data);
          if (heard) obey(heard, actionOf);
        };
      }
      useMidi.setState({
        isOn: true,
        names: inputs.map(({ name }) => name ?? t("live.aController")),
      });
    };
    access.onstatechange = listen;
    listen();
  } catch {
    say("trouble", t("live.theBrowserBlockedMidiAllow"));
  }
}
