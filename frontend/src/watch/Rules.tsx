/** How troubles are told while on air: aloud, recorded, and which of them after how long. */

import { useId } from "react";
import { setSetting } from "../live/link";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Popover } from "../ui/Popover";
import { Setting, useSetting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { Switch } from "../ui/Switch";
import { t } from "../text/text";

const NONE: never[] = [];

export function Rules() {
  const rules = useLive((live) => live.state?.rig.watch.rules);
  const names = rules ? (Object.keys(rules) as (keyof typeof rules)[]) : NONE;
  const off = names.filter((name) => rules && !rules[name].is_on).length;
  return (
    <section aria-label={t("watch.alerts")} className="rounded-lg bg-panel p-4">
      <h3 className="mb-1 text-[13px] font-semibold">{t("watch.alerts")}</h3>
      <Toggle path="watch.records" />
      <Toggle path="watch.says_aloud" />
      <Setting path="watch.aloud_db" />
      <div className="mt-2 flex items-center justify-between border-t border-line pt-2.5 text-[13px]">
        <span>{t("watch.alertsOn", { count: names.length - off })}</span>
        <Popover
          label={t("watch.chooseAlerts")}
          className="w-[430px]"
          trigger={<Button>{t("watch.choose")}</Button>}
        >
          <ul>
            {names.map((name) => (
              <RuleRow key={name} name={name} />
            ))}
          </ul>
        </Popover>
      </div>
    </section>
  );
}

function RuleRow({ name }: { name: string }) {
  const path = `watch.rules.${name}`;
  const rule = useSetting(path);
  const isOn = useSetting(`${path}.is_on`);
  const id = useId();
  if (!rule || !isOn) return null;
  return (
    <li className="border-b border-line py-1.5 last:border-0">
      <div className="flex items-center justify-between gap-3">
        <label htmlFor={id} className="text-[13px]">
          <span className="font-semibold">{rule.info.label}</span>
          <span className="block text-xs text-quiet">{rule.info.help}</span>
        </label>
        <Switch
          id={id}
          checked={isOn.value === true}
          onCheckedChange={(next) => setSetting(`${path}.is_on`, next)}
        />
      </div>
      {isOn.value === true && (
        <Setting
          path={`${path}.patience_s`}
          label={t("watch.labelAfterSeconds", { label: rule.info.label })}
          shortLabel={t("watch.afterSeconds")}
        />
      )}
    </li>
  );
}
