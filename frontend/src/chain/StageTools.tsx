/** Building the chain: a stage is moved, copied, removed or added, always in one path. */

import { ArrowLeft, ArrowRight, Copy, Trash2 } from "lucide-react";
import type { Slot } from "../api/client";
import { ask } from "../live/link";
import { STAGE_LABELS } from "../levelpath/stations";
import { AddMenu } from "../ui/AddMenu";
import { IconButton } from "../ui/IconButton";
import { openStage } from "../view";

const STAGES = (Object.keys(STAGE_LABELS) as Slot["stage"][]).map((stage) => ({
  value: stage,
  label: STAGE_LABELS[stage],
}));

export function AddStage({ after }: { after: string }) {
  return (
    <AddMenu
      label="Add stage"
      items={STAGES}
      onChoose={(stage) => ask({ type: "add_stage", stage, after })}
    />
  );
}

type Props = { slot: Slot; index: number; count: number };

export function StageTools({ slot, index, count }: Props) {
  const stage_id = slot.id;
  const isLimiter = slot.stage === "limiter";
  const label = STAGE_LABELS[slot.stage];
  return (
    <div className="flex">
      <IconButton
        label={`Move ${label} towards the microphone`}
        isOff={isLimiter || index === 0}
        onClick={() => ask({ type: "move_stage", stage_id, by: -1 })}
      >
        <ArrowLeft size={16} />
      </IconButton>
      <IconButton
        label={`Move ${label} towards the viewers`}
        isOff={isLimiter || index === count - 1}
        onClick={() => ask({ type: "move_stage", stage_id, by: 1 })}
      >
        <ArrowRight size={16} />
      </IconButton>
      <IconButton
        label={`Copy ${label}`}
        isOff={isLimiter}
        onClick={() => ask({ type: "copy_stage", stage_id })}
      >
        <Copy size={15} />
      </IconButton>
      <IconButton
        label={`Remove ${label}`}
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
