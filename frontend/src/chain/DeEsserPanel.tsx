import { stagePath } from "../live/chains";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";
import { ReductionPicture } from "../pictures/ReductionPicture";
import { SpectrumPicture } from "../pictures/SpectrumPicture";

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
