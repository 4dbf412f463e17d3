/** The dip under the voice: what it does, and what sets it from what was heard. */

import { stagePath, useStage } from "../live/chains";
import { ask } from "../live/link";
import { Button } from "../ui/Button";
import { Setting } from "../ui/Setting";
import { PanelLayout } from "./PanelLayout";
import { ReductionPicture } from "./ReductionPicture";
import { t } from "../text/text";

const SETTINGS = [
  "depth_db",
  "threshold_dbfs",
  "attack_ms",
  "hold_ms",
  "release_ms",
  "look_ahead_ms",
];
const SHALLOW_DB = 18;
const DEEPEST_DB = 30;

export function DuckerEditor({ id }: { id: string }) {
  const found = useStage(id);
  if (found?.slot.stage !== "ducker") return null;
  const { depth_db: depth } = found.slot.settings;
  return (
    <PanelLayout
      settings={
        <>
          {SETTINGS.map((name) => (
            <Setting key={name} path={`${stagePath(id)}.settings.${name}`} />
          ))}
          <Button
            className="mt-2"
            title={t("pictures.fromTheNoiseInYour")}
            onClick={() => ask({ type: "suggest_ducker", input_id: found.input.id })}
          >
            {t("pictures.setFromMeasuredLevels")}
          </Button>
        </>
      }
    >
      <ReductionPicture id={id} deepest={depth > SHALLOW_DB ? DEEPEST_DB : SHALLOW_DB} />
    </PanelLayout>
  );
}
