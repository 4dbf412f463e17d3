import { stagePath } from "../live/chains";
import { useLevels } from "../live/readings";
import { Panel } from "../ui/Panel";
import { Setting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { decibels } from "../units/format";
import { BeforeAfterPicture } from "./BeforeAfterPicture";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";
import { t } from "../text/text";

export function TrimPanel({ id, before }: PanelProps) {
  const peaksBefore = useLevels((levels) => levels?.stations[before]?.peaks_dbfs);
  const peaksAfter = useLevels((levels) => levels?.stations[id]?.peaks_dbfs);
  return (
    <PanelLayout
      settings={
        <>
          <Setting path={`${stagePath(id)}.settings.gain_db`} />
          <div className="mt-2">
            <Toggle path={`${stagePath(id)}.settings.is_polarity_inverted`} />
            <Toggle path={`${stagePath(id)}.settings.is_dc_removed`} />
          </div>
        </>
      }
    >
      <Panel className="flex-1" title={t("chain.peaksBeforeGrayAndAfter")}>
        <BeforeAfterPicture
          before={before}
          after={id}
          top={0}
          bottom={-72}
          step={12}
          mark={{ db: -0.3, label: t("chain.fullScale") }}
          label={t("chain.tenSecondsOfPeaksBeforeAndAfterThe")}
        />
        <p className="text-[13px]">
          {t("chain.speechPeaksBeforeDbfsAt", {
            before: decibels(peaksBefore),
            after: decibels(peaksAfter),
          })}
        </p>
      </Panel>
    </PanelLayout>
  );
}
