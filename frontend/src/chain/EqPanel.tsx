import { useLive } from "../live/store";
import type { PanelProps } from "./ChainPage";
import { EqEditor } from "./EqEditor";

export function EqPanel({ id }: PanelProps) {
  const slot = useLive((live) => live.state?.rig.chain.find((one) => one.id === id));
  if (slot?.stage !== "eq") return null;
  return (
    <EqEditor
      path={`chain.${id}.settings`}
      settings={slot.settings}
      id={id}
      title="What the EQ does, dB; behind it your voice before (grey) and after (amber). Drag a point, or use the arrows"
    />
  );
}
