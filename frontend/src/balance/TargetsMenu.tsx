/** Where levels should sit: a set for what one does, or each by hand. */

import { ask } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Popover } from "../ui/Popover";
import { Setting } from "../ui/Setting";
import { t } from "../text/text";

const TARGETS = [
  "targets.voice_peaks_dbfs",
  "targets.voice_tolerance_db",
  "targets.game_clearance_db",
  "targets.music_clearance_db",
  "targets.call_clearance_db",
  "targets.other_clearance_db",
  "targets.loudness_lufs",
  "feeds.viewers.ceiling_dbtp",
];

export function TargetsMenu() {
  const sets = useLive((live) => live.state?.target_sets) ?? [];
  const chosen = useLive((live) => live.state?.target_set);
  const name = sets.find(({ id }) => id === chosen)?.name ?? t("balance.custom");
  return (
    <Popover
      label={t("balance.targets")}
      className="w-[560px]"
      trigger={<Button>{t("balance.targetsName", { name })}</Button>}
    >
      <div className="flex gap-5">
        <div className="flex w-[250px] flex-col gap-1.5">
          <h3 className="font-semibold">{t("balance.chooseByContent")}</h3>
          {sets.map((one) => (
            <button
              key={one.id}
              type="button"
              aria-pressed={one.id === chosen}
              onClick={() => ask({ type: "choose_targets", set_id: one.id })}
              className={`rounded-md border p-2 text-left ${one.id === chosen ? "border-voice bg-raised" : "border-line hover:bg-raised"}`}
            >
              <span className="block text-[13px] font-semibold">{one.name}</span>
              <span className="block text-xs text-quiet">{one.when}</span>
            </button>
          ))}
        </div>
        <div className="min-w-0 flex-1">
          <h3 className="font-semibold">{t("balance.setEachTarget")}</h3>
          {TARGETS.map((path) => (
            <Setting key={path} path={path} />
          ))}
        </div>
      </div>
    </Popover>
  );
}
