/** An on/off setting with its label and help from the server. */

import { useId } from "react";
import { setSetting } from "../live/link";
import { useSetting } from "./Setting";
import { Switch } from "./Switch";

export function Toggle({ path }: { path: string }) {
  const setting = useSetting(path);
  const id = useId();
  if (!setting) return null;
  return (
    <div className="flex items-center justify-between py-1.5" title={setting.info.help}>
      <label htmlFor={id} className="text-[13px]">
        {setting.info.label}
      </label>
      <Switch
        id={id}
        aria-description={setting.info.help}
        checked={setting.value === true}
        onCheckedChange={(isOn) => setSetting(path, isOn)}
      />
    </div>
  );
}
