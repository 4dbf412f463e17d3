import { Dialog, Switch } from "radix-ui";
import type { ReactNode } from "react";
import { Button } from "../ui/Button";
import { setSingleKeys, TASKS, useView } from "../view";

const KEYS = [
  [TASKS.map((_, i) => i + 1).join(" "), TASKS.join(", ")],
  ["L", "Say the levels that matter"],
  ["M", "Mute your voice for everyone, or end it"],
  ["C, held", "Cough: silent for everyone until you let go"],
  ["P", "Pause for a break: viewers hear only the music"],
  ["R", "Record; with Shift, stop the recording"],
  ["K", "Put a mark into the recording, at this moment"],
  ["Y", "Hear as You again"],
  ["B", "Bypass the open stage, or bring it back"],
  ["Ctrl Z, Ctrl Shift Z", "Undo, redo"],
  ["← → ↑ ↓", "On a slider: a step; with Shift a tenth of it"],
  ["Page up, Page down", "On a slider: ten steps"],
  ["Home, End", "On a slider: the ends of its range"],
  ["Delete", "On a slider: back to its default"],
] as const;

export function KeysDialog({ children }: { children: ReactNode }) {
  const hasSingleKeys = useView((view) => view.hasSingleKeys);
  return (
    <Dialog.Root>
      <Dialog.Trigger asChild>{children}</Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-black/50" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 w-[520px] -translate-1/2 rounded-lg border border-line bg-panel p-6"
        >
          <Dialog.Title className="mb-3 text-lg font-semibold">Keys</Dialog.Title>
          <dl className="grid grid-cols-[190px_1fr] gap-y-1.5 text-[13px]">
            {KEYS.map(([key, does]) => (
              <div key={key} className="contents">
                <dt className="figures">{key}</dt>
                <dd className="text-quiet">{does}</dd>
              </div>
            ))}
          </dl>
          <label className="my-4 flex items-center justify-between text-[13px]">
            Single keys (digits and letters)
            <Switch.Root
              checked={hasSingleKeys}
              onCheckedChange={setSingleKeys}
              className="h-5 w-9 rounded-full bg-line p-0.5 data-[state=checked]:bg-voice"
            >
              <Switch.Thumb className="block size-4 rounded-full bg-panel data-[state=checked]:translate-x-4" />
            </Switch.Root>
          </label>
          <Dialog.Close asChild>
            <Button>Close</Button>
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
