import { RadioGroup } from "radix-ui";
import { useState } from "react";
import type { InputSettings } from "../api/client";
import { setSetting } from "../live/link";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { useWhileShown } from "../live/whileShown";
import { LevelBar } from "../ui/LevelBar";
import { t } from "../text/text";

/** While this is shown, devices that nobody uses run too, so that their levels can be seen. */
export const useDevicesWatched = () => useWhileShown("watch_devices");

/** Every device with its level now: one sees which one is the microphone before choosing it. */
export function DevicePicker({ input }: { input: InputSettings }) {
  useDevicesWatched();
  const devices = useLive((live) => live.state?.devices) ?? [];
  const [isPractising, setPractising] = useState(false);
  // An input is offered its own virtual loudspeakers; practice devices stand back where there are real ones.
  const own = devices.filter(
    ({ id }) => !id.startsWith("loudspeakers:") || id === `loudspeakers:${input.id}`,
  );
  const real = own.filter(
    ({ id, knobs }) => id.includes(":") || knobs === "page" || knobs === "file",
  );
  const hasReal = real.some(({ id }) => id.includes(":"));
  const isOnPractice =
    own.some(({ id }) => id === input.device) && !real.some(({ id }) => id === input.device);
  const offered = hasReal && !isPractising && !isOnPractice ? real : own;
  const path = `inputs.${input.id}.device`;
  return (
    <RadioGroup.Root
      aria-label={t("wiring.device")}
      value={input.device}
      onValueChange={(device) => setSetting(path, device)}
      className="flex flex-col gap-0.5"
    >
      {offered.map(({ id, label, channels }) => {
        return (
          <RadioGroup.Item
            key={id}
            value={id}
            className="flex items-center gap-2 rounded-md px-2 py-1 text-left hover:bg-raised data-[state=checked]:bg-raised data-[state=checked]:font-semibold"
          >
            <span
              aria-hidden
              className={`size-2.5 shrink-0 rounded-full border-2 ${
                id === input.device ? "border-voice bg-voice" : "border-quiet"
              }`}
            />
            <span className="min-w-0 flex-1">
              <span className="block truncate">{label}</span>
              <WhatIsWrong id={id} />
            </span>
            <span className="w-16">
              {Array.from({ length: channels }, (_, channel) => (
                <ChannelLevel
                  key={channel}
                  id={id}
                  channel={channel}
                  label={`${label}, ${channels === 1 ? t("wiring.itsChannel") : channel ? t("wiring.right") : t("wiring.left")}`}
                />
              ))}
            </span>
          </RadioGroup.Item>
        );
      })}
      {hasReal && !isOnPractice && (
        <button
          type="button"
          aria-expanded={isPractising}
          onClick={() => setPractising(!isPractising)}
          className="px-2 py-1 text-left text-xs text-quiet hover:underline"
        >
          {t("wiring.practiceDevices", { shown: isPractising ? "yes" : "no" })}
        </button>
      )}
    </RadioGroup.Root>
  );
}

function WhatIsWrong({ id }: { id: string }) {
  const state = useLevels((levels) => levels?.devices[id]?.state) ?? "playing";
  return state === "playing" ? null : <span className="block text-xs text-quiet">{state}</span>;
}

type ChannelProps = { id: string; channel: number; label: string };

function ChannelLevel({ id, channel, label }: ChannelProps) {
  const dbfs = useLevels((levels) => levels?.devices[id]?.peaks_dbfs[channel]);
  if (dbfs === undefined) return null;
  return <LevelBar dbfs={dbfs} colour="var(--voice)" label={label} className="my-0.5 h-1.5" />;
}
