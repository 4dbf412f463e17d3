import { stagePath } from "../live/chains";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";
import { ReductionPicture } from "../pictures/ReductionPicture";
import { SpectrumPicture } from "../pictures/SpectrumPicture";
import { t } from "../text/text";

const SETTINGS = ["frequency_hz", "threshold_db", "amount_db", "attack_ms", "release_ms"];

export function DeEsserPanel({ id }: PanelProps) {
  const hz = Number(useSetting(`${stagePath(id)}.settings.frequency_hz`)?.value ?? 0);
  return (
    <PanelLayout
      settings={SETTINGS.map((name) => (
        <Setting key={name} path={`${stagePath(id)}.settings.${name}`} />
      ))}
    >
      <Panel className="w-[54%]" title={t("chain.beforeGrayAndAfterAmber")}>
        <SpectrumPicture
          id={id}
          label={t("chain.spectraBeforeAndAfterThe")}
          marks={[{ hz, label: t("chain.deEsserBand") }]}
        />
      </Panel>
      <ReductionPicture id={id} deepest={12} />
    </PanelLayout>
  );
}
