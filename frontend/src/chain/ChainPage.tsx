import type { ComponentType } from "react";
import type { Slot } from "../api/client";
import { setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { STAGE_LABELS } from "../levelpath/stations";
import { Button } from "../ui/Button";
import { useView } from "../view";
import { CompressorPanel } from "./CompressorPanel";
import { ChainBar } from "./ChainBar";
import { DeEsserPanel } from "./DeEsserPanel";
import { EqPanel } from "./EqPanel";
import { GatePanel } from "./GatePanel";
import { HighPassPanel } from "./HighPassPanel";
import { LevellerPanel } from "./LevellerPanel";
import { LimiterPanel } from "./LimiterPanel";
import { AddStage, StageTools } from "./StageTools";
import { SuppressorPanel } from "./SuppressorPanel";
import { ThreeBandPanel } from "./ThreeBandPanel";
import { TrimPanel } from "./TrimPanel";

/** What a stage's panel gets: its id, and the meter of the station before it. */
export type PanelProps = { id: string; before: string };

const PANELS: Record<Slot["stage"], ComponentType<PanelProps>> = {
  trim: TrimPanel,
  high_pass: HighPassPanel,
  suppressor: SuppressorPanel,
  gate: GatePanel,
  eq: EqPanel,
  de_esser: DeEsserPanel,
  compressor: CompressorPanel,
  three_band: ThreeBandPanel,
  leveller: LevellerPanel,
  limiter: LimiterPanel,
};

const DOES: Record<Slot["stage"], string> = {
  trim: "sets the level into the chain",
  high_pass: "takes away what lies under the voice",
  suppressor: "takes the room's noise out from under the voice",
  gate: "closes in pauses so that the room is not heard",
  eq: "shapes the voice by its zones",
  de_esser: "softens sharp s sounds",
  compressor: "brings loud and quiet speech closer together",
  three_band: "evens out low, middle and high each by itself",
  leveller: "brings speech slowly to one loudness",
  limiter: "the ceiling: nothing passes above it",
};

export function ChainPage() {
  const chain = useLive((live) => live.state?.rig.chain) ?? [];
  const stageId = useView((view) => view.stageId);
  const levels = useLevels();
  const index = Math.max(
    0,
    chain.findIndex(({ id }) => id === stageId),
  );
  const slot = chain[index];
  if (!slot) {
    return (
      <>
        <ChainBar />
        <div className="flex items-center gap-3">
          <p className="text-quiet">This chain has no stages: the voice passes as it is.</p>
          <AddStage after="" />
        </div>
      </>
    );
  }
  const Panel = PANELS[slot.stage];
  const cost = levels?.stage_cost_percent[slot.id];
  const delay = levels?.stage_latency_ms[slot.id];
  return (
    <>
      <ChainBar />
      <div className="mb-2 flex items-center gap-3">
        <h2 className="text-[19px] font-semibold">{STAGE_LABELS[slot.stage]}</h2>
        <p className="min-w-0 text-quiet max-[1180px]:text-[13px] max-[1180px]:leading-tight min-[1180px]:truncate">
          {DOES[slot.stage]}
        </p>
        <p
          className="figures ml-auto text-xs whitespace-nowrap text-quiet"
          title="What this stage adds: delay, and its share of a block's time"
        >
          {delay !== undefined && `${delay.toFixed(1)} ms`}
          {cost !== undefined && ` · ${cost.toFixed(1)} % of a block`}
        </p>
        <StageTools slot={slot} index={index} count={chain.length} />
        <AddStage after={slot.id} />
        <Button
          look={slot.is_bypassed ? "main" : "plain"}
          aria-pressed={slot.is_bypassed}
          onClick={() => setSetting(`chain.${slot.id}.is_bypassed`, !slot.is_bypassed)}
        >
          {slot.is_bypassed ? "Bypassed" : "Bypass"}
        </Button>
      </div>
      <div className={slot.is_bypassed ? "opacity-60" : ""}>
        <Panel key={slot.id} id={slot.id} before={chain[index - 1]?.id ?? "microphone"} />
      </div>
    </>
  );
}
