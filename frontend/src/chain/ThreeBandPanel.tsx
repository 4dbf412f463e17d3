import { stagePath } from "../live/chains";
import { useState } from "react";
import { Choice } from "../ui/Choice";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";
import { ReductionPicture } from "../pictures/ReductionPicture";
import { SpectrumPicture } from "../pictures/SpectrumPicture";
import { t } from "../text/text";

const BANDS = [
  { value: "low", label: t("chain.low"), reading: "low_reduction_db" },
  { value: "middle", label: t("chain.middle"), reading: "middle_reduction_db" },
  { value: "high", label: t("chain.high"), reading: "high_reduction_db" },
] as const;
const SETTINGS = ["threshold_dbfs", "ratio", "attack_ms", "release_ms", "makeup_gain_db"];

export function ThreeBandPanel({ id }: PanelProps) {
  const [band, setBand] = useState<(typeof BANDS)[number]["value"]>("middle");
  const path = `${stagePath(id)}.settings`;
  const lower = Number(useSetting(`${path}.lower_hz`)?.value ?? 0);
  const upper = Number(useSetting(`${path}.upper_hz`)?.value ?? 0);
  return (
    <PanelLayout
      settings={
        <>
          <Setting path={`${path}.lower_hz`} />
          <Setting path={`${path}.upper_hz`} />
          <div className="py-1.5">
            <Choice label={t("chain.band")} value={band} options={[...BANDS]} onChange={setBand} />
          </div>
          {SETTINGS.map((name) => (
            <Setting key={name} path={`${path}.${band}.${name}`} />
          ))}
        </>
      }
    >
      <Panel className="w-[50%]" title={t("chain.beforeGrayAndAfterAmber")}>
        <SpectrumPicture
          id={id}
          label={t("chain.spectraBeforeAndAfterTheThree")}
          marks={[
            { hz: lower, label: t("chain.middleLower") },
            { hz: upper, label: t("chain.highLower") },
          ]}
        />
      </Panel>
      <ReductionPicture
        id={id}
        deepest={12}
        parts={BANDS.map(({ reading, label }) => ({ reading, label }))}
      />
    </PanelLayout>
  );
}
