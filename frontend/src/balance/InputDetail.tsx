/** What shapes a background input at a glance: its trim, its dip under the voice, its EQ, its delay. */

import { HOLD_RANGE_DB } from "../api/facts.gen";
import { STAGE_LABELS } from "../api/facts.gen";
import { X } from "lucide-react";
import { useState, type ReactNode } from "react";
import type { InputSettings, Slot } from "../api/client";
import { EqEditor } from "../pictures/EqEditor";
import { DuckerEditor } from "../pictures/DuckerEditor";
import { ask, setSetting } from "../live/link";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { IconButton } from "../ui/IconButton";
import { Setting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { openChain } from "../view";

const SIDES = ["Trim", "Dip under the voice", "EQ", "Delay"];

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
            decibel a second, {HOLD_RANGE_DB} dB at most, and rests while you or it are silent.
          </p>
        </div>
      )}
      {side === "Delay" && (
        <div className="max-w-[420px]">
          <Setting path={`inputs.${id}.delay_ms`} label={`${name} delay`} shortLabel="Delay" />
          <p className="text-[13px] text-quiet">
            For a source that arrives earlier than what it belongs to. It waits for every listener.
          </p>
        </div>
      )}
      {side === "EQ" && (
        <OfChain input={input} stage="eq" bypassed="The EQ is bypassed.">
          {(slot) =>
            slot.stage === "eq" && (
              <EqEditor
                path={`inputs.${id}.chain.${slot.id}.settings`}
                settings={slot.settings}
                id={slot.id}
                title={`What the EQ of ${name} does, dB. Drag a point, or use the arrows`}
              />
            )
          }
        </OfChain>
      )}
      {side === "Dip under the voice" && (
        <OfChain input={input} stage="ducker" bypassed={`${name} does not dip under your voice.`}>
          {(slot) => <DuckerEditor id={slot.id} />}
        </OfChain>
      )}
    </section>
  );
}

type OfChainProps = {
  input: InputSettings;
  stage: Slot["stage"];
  /** What is said while it is bypassed. */
  bypassed: string;
  children: (slot: Slot) => ReactNode;
};

/** The first stage of a kind in the input's chain; put in, or put to work, with a press. */
function OfChain({ input, stage, bypassed, children }: OfChainProps) {
  const slot = input.chain.find((one) => one.stage === stage);
  const label = STAGE_LABELS[stage];
  if (!slot) {
    const last = input.chain.at(-1)?.id ?? "";
    return (
      <p className="flex items-center gap-3 text-[13px]">
        The chain of {input.name} has no {label}.
        <Button
          onClick={() =>
            ask({ type: "add_stage", input_id: input.id, stage, after: stage === "eq" ? "" : last })
          }
        >
          Put one in
        </Button>
      </p>
    );
  }
  const path = `inputs.${input.id}.chain.${slot.id}.is_bypassed`;
  return (
    <>
      <p className="mb-2 flex items-center gap-3 text-[13px]">
        <Button
          look={slot.is_bypassed ? "main" : "plain"}
          aria-pressed={!slot.is_bypassed}
          onClick={() => setSetting(path, !slot.is_bypassed)}
        >
          {slot.is_bypassed ? `Switch the ${label} on` : `${label} is on`}
        </Button>
        {slot.is_bypassed && <span className="text-quiet">{bypassed}</span>}
        <Button className="ml-auto" onClick={() => openChain(input.id)}>
          The whole chain
        </Button>
      </p>
      <div className={slot.is_bypassed ? "opacity-60" : ""}>{children(slot)}</div>
    </>
  );
}
