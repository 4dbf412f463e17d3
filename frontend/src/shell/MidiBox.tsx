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
import { t } from "../text/text";

type Goal = { value: string; label: string };

/** Faders first, then everything that keys do. */
export function goalsOf(rig: Rig): Goal[] {
  return [
    ...rig.inputs.map(({ id, name }) => ({
      value: `inputs.${id}.fader_db`,
      label: t("shell.faderOfName", { name }),
    })),
    ...FEEDS.map((feed) => ({
      value: `feeds.${feed}.fader_db`,
      label: t("shell.faderOfName", { name: FEED_LABELS[feed] }),
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
    <section aria-label={t("shell.midi")} className="mt-3 border-t border-line pt-3 text-[13px]">
      <div className="flex items-center justify-between gap-2">
        <p className="min-w-0 truncate">
          <b>{t("shell.midi")}</b>{" "}
          <span className="text-quiet">
            {!isOn
              ? t("shell.fadersAndKeysOfA")
              : names.length
                ? names.join(", ")
                : t("shell.noControllerIsConnected")}
          </span>
        </p>
        {!isOn && <Button onClick={open}>{t("shell.useMidi")}</Button>}
      </div>
      {isOn && (
        <div className="mt-2 flex items-center gap-2">
          <Select
            label={t("shell.functionOfTheControl")}
            value={goal}
            groups={[{ options: goals }]}
            onChange={setGoal}
          />
          <Button
            aria-pressed={learning === goal}
            onClick={() => useMidi.setState({ learning: learning === goal ? "" : goal })}
          >
            {learning === goal ? t("shell.moveItNow") : t("shell.learn")}
          </Button>
        </div>
      )}
      <ul aria-label={t("shell.midiAssignments")}>
        {rig.midi.map((one) => {
          const [control = "", value = ""] = one.split(": ");
          return (
            <li key={one} className="flex items-center justify-between gap-2 py-0.5">
              <span className="min-w-0 truncate">
                <span className="figures text-quiet">{control}</span> {labelOf(value)}
              </span>
              <button
                type="button"
                aria-label={t("shell.forgetControl", { control })}
                onClick={() => setTogether({ midi: rig.midi.filter((other) => other !== one) })}
                className="h-6 rounded px-2 text-quiet underline hover:text-text"
              >
                {t("shell.forget")}
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
