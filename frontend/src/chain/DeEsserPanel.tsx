import { stagePath } from "../live/chains";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import type { PanelProps } from "./ChainPage";
import { PanelLayout } from "./PanelLayout";
import { ReductionPicture } from "./ReductionPicture";
import { SpectrumPicture } from "./SpectrumPicture";

const SETTINGS = ["frequency_hz", "threshold_db", "amount_db", "attack_ms", "release_ms"];

export function DeEsserPanel({ id }: PanelProps) {
  const hz = Number(useSetting(`${stagePath(id)}.settings.frequency_hz`)?.value ?? 0);
  return (
    <PanelLayout
      settings={SETTINGS.map((name) => (
        <Setting key={name} path={`${stagePath(id)}.settings.${name}`} />
      ))}
    >
      <Panel className="w-[54%]" title="Before (grey) and after (amber), dBFS">
        <SpectrumPicture
          id={id}
          label="Spectra before and after the de-esser"
          marks={[{ hz, label: "its band" }]}
        />
      </Panel>
      <ReductionPicture id={id} deepest={12} />
    </PanelLayout>
  );
}
