import { stagePath } from "../live/chains";
import { Panel } from "../ui/Panel";
import { Setting } from "../ui/Setting";
import { Slope } from "../ui/Slope";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";
import { ResponsePicture } from "../pictures/ResponsePicture";
import { t } from "../text/text";

export function HighPassPanel({ id }: PanelProps) {
  return (
    <PanelLayout
      settings={
        <>
          <Setting path={`${stagePath(id)}.settings.frequency_hz`} />
          <Slope path={`${stagePath(id)}.settings.slope_db_per_octave`} />
        </>
      }
    >
      <Panel className="flex-1" title={t("chain.frequencyResponseDb")}>
        <ResponsePicture
          id={id}
          topDb={6}
          bottomDb={-36}
          label={t("chain.highPassFrequencyResponse")}
        />
      </Panel>
    </PanelLayout>
  );
}
