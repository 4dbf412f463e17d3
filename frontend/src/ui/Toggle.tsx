/** An on/off setting with its label and help from the server. */

import { Switch } from "radix-ui";
import { useId } from "react";
import { setSetting } from "../live/link";
import { useSetting } from "./Setting";

export function Toggle({ path }: { path: string }) {
  const setting = useSetting(path);
  const id = useId();
  if (!setting) return null;
  return (
    <div className="flex items-center justify-between py-1.5" title={setting.info.help}>
      <label htmlFor={id} className="text-[13px]">
        {setting.info.label}
      </label>
      <Switch.Root
        id={id}
        aria-description={setting.info.help}
        checked={setting.value === true}
        onCheckedChange={(isOn) => setSetting(path, isOn)}
        className="h-5 w-9 rounded-full bg-line p-0.5 data-[state=checked]:bg-voice"
      >
        <Switch.Thumb className="block size-4 rounded-full bg-panel transition-transform data-[state=checked]:translate-x-4" />
      </Switch.Root>
    </div>
  );
}
