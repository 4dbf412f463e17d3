/** Building the chain: a stage is moved, copied, removed or added, always in one path. */

import { STAGE_LABELS } from "../api/facts.gen";
import { ArrowLeft, ArrowRight, Copy, Trash2 } from "lucide-react";
import type { InputSettings, Slot } from "../api/client";
import { ask } from "../live/link";
import { useLive } from "../live/store";
import { AddMenu } from "../ui/AddMenu";
import { IconButton } from "../ui/IconButton";
import { openStage } from "../view";
import { t } from "../text/text";

const STAGES = (Object.keys(STAGE_LABELS) as Slot["stage"][]).map((stage) => ({
  value: stage,
  label: STAGE_LABELS[stage],
}));

export function AddStage({ input, after }: { input: InputSettings; after: string }) {
  return (
    <AddMenu
      label={t("chain.addStage")}
      items={input.role === "voice" ? STAGES.filter(({ value }) => value !== "ducker") : STAGES}
      onChoose={(stage) => {
        openWhenThere(input);
        ask({ type: "add_stage", input_id: input.id, stage, after });
      }}
    />
  );
}

/** What is added is what one wants to set: it opens once the server has put it in. */
function openWhenThere({ id, chain }: InputSettings) {
  const before = new Set(chain.map((slot) => slot.id));
  const stop = useLive.subscribe(({ state }) => {
    const now = state?.rig.inputs.find((one) => one.id === id)?.chain ?? [];
    const added = now.find((slot) => !before.has(slot.id));
    if (!added) return;
    stop();
    openStage(added.id);
  });
  setTimeout(stop, PATIENCE_MS);
}

const PATIENCE_MS = 5000;

type Props = { input: InputSettings; slot: Slot; index: number };

export function StageTools({ input, slot, index }: Props) {
  const stage_id = slot.id;
  const isLimiter = slot.stage === "limiter";
  const label = STAGE_LABELS[slot.stage];
  return (
    <div className="flex">
      <IconButton
        label={t("chain.moveLabelEarlier", { label })}
        isOff={isLimiter || index === 0}
        onClick={() => ask({ type: "move_stage", stage_id, by: -1 })}
      >
        <ArrowLeft size={16} />
      </IconButton>
      <IconButton
        label={t("chain.moveLabelLater", { label })}
        isOff={isLimiter || index === input.chain.length - 1}
        onClick={() => ask({ type: "move_stage", stage_id, by: 1 })}
      >
        <ArrowRight size={16} />
      </IconButton>
      <IconButton
        label={t("chain.copyLabel", { label })}
        isOff={isLimiter}
        onClick={() => ask({ type: "copy_stage", stage_id })}
      >
        <Copy size={15} />
      </IconButton>
      <IconButton
        label={t("chain.removeLabel", { label })}
        onClick={() => {
          ask({ type: "remove_stage", stage_id });
          openStage("");
        }}
      >
        <Trash2 size={15} />
      </IconButton>
    </div>
  );
}
