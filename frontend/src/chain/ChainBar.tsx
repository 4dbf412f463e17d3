/** Whose chain is shown, what it came from, and the loop on which the main voice is tuned. */

import type { InputSettings } from "../api/client";
import { useLive } from "../live/store";
import { Select } from "../ui/Select";
import { roleText } from "../ui/roles";
import { useView } from "../view";
import { LoopBar } from "./LoopBar";
import { PresetMenu } from "./PresetMenu";
import { t } from "../text/text";

export function ChainBar({ input }: { input: InputSettings }) {
  const rig = useLive((live) => live.state?.rig);
  if (!rig) return null;
  const isMain = input.id === rig.chained;
  return (
    <div className="mb-2.5 flex flex-wrap items-center gap-x-4 gap-y-2 border-b border-line pb-2.5">
      <span style={{ color: roleText(input.role) }}>
        <Select
          label={t("chain.chainOf")}
          value={input.id}
          groups={[
            {
              label: t("chain.chainOf"),
              options: rig.inputs.map(({ id, name }) => ({ value: id, label: name })),
            },
          ]}
          onChange={(chosenId) => useView.setState({ chosenId, stageId: "" })}
          className="max-w-44 font-semibold"
        />
      </span>
      <PresetMenu input={input} />
      {isMain ? (
        <LoopBar />
      ) : (
        <p className="ml-auto text-xs text-quiet">{t("chain.loopAndSoundCheckWork")}</p>
      )}
    </div>
  );
}
