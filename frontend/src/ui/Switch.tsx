/** A switch by itself: on or off, with a name from elsewhere. */

import { Switch as RadixSwitch } from "radix-ui";
import type { ComponentProps } from "react";

export function Switch({
  isLarge = false,
  ...given
}: ComponentProps<typeof RadixSwitch.Root> & { isLarge?: boolean }) {
  return (
    <RadixSwitch.Root
      className={`shrink-0 rounded-full bg-line p-0.5 data-[state=checked]:bg-voice ${isLarge ? "h-6 w-10" : "h-5 w-9"}`}
      {...given}
    >
      <RadixSwitch.Thumb
        className={`block rounded-full bg-panel transition-transform data-[state=checked]:translate-x-4 ${isLarge ? "size-5" : "size-4"}`}
      />
    </RadixSwitch.Root>
  );
}
