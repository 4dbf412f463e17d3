/** What shapes a background input: its trim, its dip under the voice, its EQ. */

import { X } from "lucide-react";
import { useState } from "react";
import type { InputSettings } from "../api/client";
import { EqEditor } from "../chain/EqEditor";
import { PanelLayout } from "../chain/PanelLayout";
import { ReductionPicture } from "../chain/ReductionPicture";
import { ask } from "../live/link";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { IconButton } from "../ui/IconButton";
import { Setting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";

const SIDES = ["Trim", "Dip under the voice", "EQ"];
const SHALLOW_DB = 18;
const DEEPEST_DB = 30;
const DUCKER = [
  "depth_db",
  "threshold_dbfs",
  "attack_ms",
  "hold_ms",
  "release_ms",
  "look_ahead_ms",
];

type Props = { input: InputSettings; onClose: () => void };

export function InputDetail({ input, onClose }: Props) {
  const [side, setSide] = useState("Dip under the voice");
  const { id, name } = input;
  return (
    <section aria-label={`${name} in detail`} className="rounded-lg bg-panel p-3">
      <div className="mb-2 flex items-center gap-3">
        <h3 className="font-semibold">{name}</h3>
        <Choice
          label={`What to set of ${name}`}
          value={side}
          options={SIDES.map((one) => ({ value: one, label: one }))}
          onChange={setSide}
        />
        <span className="ml-auto" />
        <IconButton label={`Close ${name}`} onClick={onClose}>
          <X size={16} aria-hidden />
        </IconButton>
      </div>
      {side === "Trim" && (
        <div className="max-w-[420px]">
          <Setting path={`inputs.${id}.trim_db`} label={`${name} trim`} shortLabel="Trim" />
          <Toggle path={`inputs.${id}.is_held`} />
          <p className="text-[13px] text-quiet">
            “To target” sets the trim; the fader stays for your hand. A hold moves a quarter of a
            decibel a second, 6 dB at most, and rests while you or it are silent.
          </p>
        </div>
      )}
      {side === "EQ" && (
        <EqEditor
          path={`inputs.${id}.eq`}
          settings={input.eq}
          id={`input:${id}`}
          title={`What the EQ of ${name} does, dB. Drag a point, or use the arrows`}
        />
      )}
      {side === "Dip under the voice" && (
        <PanelLayout
          settings={
            <>
              <Toggle path={`inputs.${id}.ducker.is_on`} />
              {DUCKER.map((setting) => (
                <Setting key={setting} path={`inputs.${id}.ducker.${setting}`} />
              ))}
              <Button
                className="mt-2"
                title="From your pauses, your quiet words and its loud passages"
                onClick={() => ask({ type: "suggest_ducker", input_id: id })}
              >
                Set from what was heard
              </Button>
            </>
          }
        >
          <ReductionPicture
            id={`dip:${id}`}
            deepest={input.ducker.depth_db > SHALLOW_DB ? DEEPEST_DB : SHALLOW_DB}
          />
        </PanelLayout>
      )}
    </section>
  );
}
