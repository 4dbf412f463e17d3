import { stagePath, useStage } from "../live/chains";
import type { PanelProps } from "./panelProps";
import { EqEditor } from "../pictures/EqEditor";
import { t } from "../text/text";

export function EqPanel({ id }: PanelProps) {
  const slot = useStage(id)?.slot;
  if (slot?.stage !== "eq") return null;
  return (
    <EqEditor
      path={`${stagePath(id)}.settings`}
      settings={slot.settings}
      id={id}
      title={t("chain.eqCurveDbBehindIt")}
    />
  );
}
