/** How steep a pass filter is. */

import { setSetting } from "../live/link";
import { Choice } from "./Choice";
import { t } from "../text/text";
import { useSetting } from "./Setting";

export function Slope({ path }: { path: string }) {
  const slope = useSetting(path);
  if (!slope) return null;
  return (
    <div className="mt-1 flex items-center justify-between text-[13px]" title={slope.info.help}>
      {slope.info.label}
      <Choice
        label={slope.info.label}
        value={String(slope.value)}
        options={[
          { value: "12", label: t("ui.twelvePerOctave") },
          { value: "24", label: "24" },
        ]}
        onChange={(value) => setSetting(path, Number(value))}
      />
    </div>
  );
}
