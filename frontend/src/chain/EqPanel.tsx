import { stagePath, useStage } from "../live/chains";
import type { PanelProps } from "./panelProps";
import { EqEditor } from "../pictures/EqEditor";

export function EqPanel({ id }: PanelProps) {
  const slot = useStage(id)?.slot;
  if (slot?.stage !== "eq") return null;
  return (
    <EqEditor
      path={`${stagePath(id)}.settings`}
      settings={slot.settings}
      id={id}
      title="What the EQ does, dB; behind it the sound before (grey) and after (amber). Drag a point, or use the arrows"
    />
  );
}
