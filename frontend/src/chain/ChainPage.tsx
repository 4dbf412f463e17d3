import { stagePlace } from "../guidePlace";
import { GuideButton } from "../ui/GuideButton";
import { STAGE_LABELS } from "../api/facts.gen";
import { useEffect, type ComponentType } from "react";
import type { Slot } from "../api/client";
import { useChosenInput } from "../chosen";
import { comesIn, stagePath } from "../live/chains";
import { ask, setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { useView } from "../view";
import { CompressorPanel } from "./CompressorPanel";
import { ChainBar } from "./ChainBar";
import { DeEsserPanel } from "./DeEsserPanel";
import { DuckerEditor } from "../pictures/DuckerEditor";
import type { PanelProps } from "./panelProps";
import { EqPanel } from "./EqPanel";
import { GatePanel } from "./GatePanel";
import { HighPassPanel } from "./HighPassPanel";
import { InsertPanel } from "./InsertPanel";
import { LevellerPanel } from "./LevellerPanel";
import { LimiterPanel } from "./LimiterPanel";
import { AddStage, StageTools } from "./StageTools";
import { SuppressorPanel } from "./SuppressorPanel";
import { ThreeBandPanel } from "./ThreeBandPanel";
import { TrimPanel } from "./TrimPanel";
import { t } from "../text/text";

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
  insert: InsertPanel,
  ducker: DuckerEditor,
  limiter: LimiterPanel,
};

const DOES: Record<Slot["stage"], string> = {
  trim: t("chain.setsTheLevelIntoThe"),
  high_pass: t("chain.removesRumbleBelowTheVoice"),
  suppressor: t("chain.reducesRoomNoise"),
  gate: t("chain.closesInPausesSoThat"),
  eq: t("chain.shapesTheTone"),
  de_esser: t("chain.softensHarshSSounds"),
  compressor: t("chain.reducesTheDifferenceBetweenLoud"),
  three_band: t("chain.compressesLowMiddleAndHigh"),
  leveller: t("chain.bringsSpeechSlowlyToOne"),
  insert: t("chain.sendsTheSoundToOther"),
  ducker: t("chain.lowersThisInputWhileYour"),
  limiter: t("chain.nothingPassesAboveItsCeiling"),
};

/** The server makes the levels of another input's chain only while somebody looks at it. */
function useWatchedChain(inputId: string) {
  const status = useLive((live) => live.status);
  useEffect(() => {
    if (status !== "open" || !inputId) return;
    ask({ type: "watch_chain", input_id: inputId });
    return () => {
      if (useLive.getState().status === "open") ask({ type: "watch_chain", input_id: "" });
    };
  }, [status, inputId]);
}

export function ChainPage() {
  const rig = useLive((live) => live.state?.rig);
  const input = useChosenInput();
  const chain = input?.chain ?? [];
  useWatchedChain(input && input.id !== rig?.chained ? input.id : "");
  const stageId = useView((view) => view.stageId);
  const index = Math.max(
    0,
    chain.findIndex(({ id }) => id === stageId),
  );
  const slot = chain[index];
  if (!rig || !input) {
    return <p className="text-quiet">{t("chain.thereIsNoInputYet")}</p>;
  }
  if (!slot) {
    return (
      <>
        <ChainBar input={input} />
        <div className="flex items-center gap-3">
          <p className="text-quiet">{t("chain.thisChainHasNoStages", { name: input.name })}</p>
          <AddStage input={input} after="" />
        </div>
      </>
    );
  }
  const Panel = PANELS[slot.stage];
  return (
    <>
      <ChainBar input={input} />
      <div className="mb-2 flex items-center gap-3">
        <h2 className="text-[19px] font-semibold">{STAGE_LABELS[slot.stage]}</h2>
        <GuideButton page="chain" at={stagePlace(slot.stage)} about={t("chain.thisStage")} />
        <p
          title={DOES[slot.stage]}
          className="min-w-0 text-quiet max-[1180px]:text-[13px] max-[1180px]:leading-tight min-[1180px]:truncate"
        >
          {DOES[slot.stage]}
        </p>
        <WhatItAdds id={slot.id} />
        <StageTools input={input} slot={slot} index={index} />
        <AddStage input={input} after={slot.id} />
        <Button
          look={slot.is_bypassed ? "main" : "plain"}
          aria-pressed={slot.is_bypassed}
          onClick={() => setSetting(`${stagePath(slot.id)}.is_bypassed`, !slot.is_bypassed)}
        >
          {slot.is_bypassed ? t("chain.bypassed") : t("chain.bypass")}
        </Button>
      </div>
      <div className={slot.is_bypassed ? "opacity-60" : ""}>
        <Panel key={slot.id} id={slot.id} before={chain[index - 1]?.id ?? comesIn(input, rig)} />
      </div>
    </>
  );
}

function WhatItAdds({ id }: { id: string }) {
  const cost = useLevels((levels) => levels?.stage_cost_percent[id]);
  const delay = useLevels((levels) => levels?.stage_latency_ms[id]);
  return (
    <p
      className="figures ml-auto text-xs whitespace-nowrap text-quiet"
      title={t("chain.delayAndCpuCostOf")}
    >
      {delay !== undefined && `${delay.toFixed(1)} ms`}
      {cost !== undefined && t("chain.shareOfABlock", { share: cost.toFixed(1) })}
    </p>
  );
}
