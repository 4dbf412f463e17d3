/** A button that opens a list of what can be added. */

import { Plus } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { Button } from "./Button";

type Props<T extends string> = {
  label: string;
  /** What it is called aloud, where the label alone could be one of several. */
  name?: string;
  items: { value: T; label: string }[];
  onChoose: (value: T) => void;
};

export function AddMenu<T extends string>({ label, name, items, onChoose }: Props<T>) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button aria-label={name} className="flex items-center gap-1.5 whitespace-nowrap">
          <Plus size={14} /> {label}
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-20 rounded-lg border border-line bg-panel p-1 shadow-xl"
        >
          {items.map((item) => (
            <DropdownMenu.Item
              key={item.value}
              onSelect={() => onChoose(item.value)}
              className="cursor-pointer rounded px-3 py-1.5 text-[13px] data-highlighted:bg-raised"
            >
              {item.label}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
