/** MIDI: what is plugged in, what moves what, and learning it by moving it. */

import { useState } from "react";
import type { Rig } from "../api/client";
import { ACTIONS } from "../keyMap";
import { setTogether } from "../live/link";
import { openControllers, useMidi } from "../live/midi";
import { useLive } from "../live/store";
import { FEED_LABELS } from "../api/facts.gen";
import { FEEDS } from "../live/reach";
import { Button } from "../ui/Button";
import { Select } from "../ui/Select";

type Goal = { value: string; label: string };

/** Faders first, then everything that keys do. */
export function goalsOf(rig: Rig): Goal[] {
  return [
    ...rig.inputs.map(({ id, name }) => ({
      value: `inputs.${id}.fader_db`,
      label: `Fader of ${name}`,
    })),
    ...FEEDS.map((feed) => ({
      value: `feeds.${feed}.fader_db`,
      label: `Fader of ${FEED_LABELS[feed]}`,
    })),
    ...ACTIONS.map(({ id, does }) => ({ value: id, label: does })),
  ];
}

export function MidiBox() {
  const rig = useLive((live) => live.state?.rig);
  const { isOn, names, learning } = useMidi();
  const [goal, setGoal] = useState("mute");
  if (!rig) return null;
  const goals = goalsOf(rig);
  const labelOf = (value: string) => goals.find((one) => one.value === value)?.label ?? value;
  const open = () => void openControllers((id) => ACTIONS.find((action) => action.id === id));
  return (
    <section aria-label="MIDI" className="mt-3 border-t border-line pt-3 text-[13px]">
      <div className="flex items-center justify-between gap-2">
        <p className="min-w-0 truncate">
          <b>MIDI</b>{" "}
          <span className="text-quiet">
            {!isOn
              ? "faders and keys of a controller"
              : names.length
                ? names.join(", ")
                : "nothing is plugged in"}
          </span>
        </p>
        {!isOn && <Button onClick={open}>Use MIDI</Button>}
      </div>
      {isOn && (
        <div className="mt-2 flex items-center gap-2">
          <Select
            label="What a control is for"
            value={goal}
            groups={[{ options: goals }]}
            onChange={setGoal}
          />
          <Button
            aria-pressed={learning === goal}
            onClick={() => useMidi.setState({ learning: learning === goal ? "" : goal })}
          >
            {learning === goal ? "Move it now …" : "Learn"}
          </Button>
        </div>
      )}
      <ul aria-label="What MIDI controls are for">
        {rig.midi.map((one) => {
          const [control = "", value = ""] = one.split(": ");
          return (
            <li key={one} className="flex items-center justify-between gap-2 py-0.5">
              <span className="min-w-0 truncate">
                <span className="figures text-quiet">{control}</span> {labelOf(value)}
              </span>
              <button
                type="button"
                aria-label={`Forget ${control}`}
                onClick={() => setTogether({ midi: rig.midi.filter((other) => other !== one) })}
                className="h-6 rounded px-2 text-quiet underline hover:text-text"
              >
                forget
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
