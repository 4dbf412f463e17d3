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
import { t } from "../text/text";

type Side = "trim" | "ducking" | "eq" | "delay";
const SIDES: { value: Side; label: string }[] = [
  { value: "trim", label: t("balance.trim") },
  { value: "ducking", label: t("balance.ducking") },
  { value: "eq", label: STAGE_LABELS.eq },
  { value: "delay", label: t("balance.delay") },
];

type Props = { input: InputSettings; onClose: () => void };

export function InputDetail({ input, onClose }: Props) {
  const [side, setSide] = useState<Side>("ducking");
  const { id, name } = input;
  return (
    <section aria-label={t("balance.detailsOfName", { name })} className="rounded-lg bg-panel p-3">
      <div className="mb-2 flex items-center gap-3">
        <h3 className="font-semibold">{name}</h3>
        <Choice
          label={t("balance.settingsOfName", { name })}
          value={side}
          options={SIDES}
          onChange={setSide}
        />
        <span className="ml-auto" />
        <IconButton label={t("balance.closeName", { name })} onClick={onClose}>
          <X size={16} aria-hidden />
        </IconButton>
      </div>
      {side === "trim" && (
        <div className="max-w-[420px]">
          <Setting
            path={`inputs.${id}.trim_db`}
            label={t("balance.nameTrim", { name })}
            shortLabel={t("balance.trim")}
          />
          <Toggle path={`inputs.${id}.is_held`} />
          <p className="text-[13px] text-quiet">
            {t("balance.matchTargetSetsTheTrim", { range: HOLD_RANGE_DB })}
          </p>
        </div>
      )}
      {side === "delay" && (
        <div className="max-w-[420px]">
          <Setting
            path={`inputs.${id}.delay_ms`}
            label={t("balance.nameDelay", { name })}
            shortLabel={t("balance.delay")}
          />
          <p className="text-[13px] text-quiet">{t("balance.forASourceThatArrives")}</p>
        </div>
      )}
      {side === "eq" && (
        <OfChain input={input} stage="eq" bypassed={t("balance.theEqIsBypassed")}>
          {(slot) =>
            slot.stage === "eq" && (
              <EqEditor
                path={`inputs.${id}.chain.${slot.id}.settings`}
                settings={slot.settings}
                id={slot.id}
                title={t("balance.eqCurveOfNameDb", { name })}
              />
            )
          }
        </OfChain>
      )}
      {side === "ducking" && (
        <OfChain
          input={input}
          stage="ducker"
          bypassed={t("balance.nameIsNotDuckedUnder", { name })}
        >
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
        {t("balance.theChainOfNameHas", { name: input.name, label })}
        <Button
          onClick={() =>
            ask({ type: "add_stage", input_id: input.id, stage, after: stage === "eq" ? "" : last })
          }
        >
          {t("balance.addOne")}
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
          {slot.is_bypassed
            ? t("balance.turnOnLabel", { label })
            : t("balance.labelIsOn", { label })}
        </Button>
        {slot.is_bypassed && <span className="text-quiet">{bypassed}</span>}
        <Button className="ml-auto" onClick={() => openChain(input.id)}>
          {t("balance.openTheChain")}
        </Button>
      </p>
      <div className={slot.is_bypassed ? "opacity-60" : ""}>{children(slot)}</div>
    </>
  );
}
