/** One of many, in a list that opens. */

import { Check, ChevronDown } from "lucide-react";
import { Select as Radix } from "radix-ui";

type Option<Value> = { value: Value; label: string };
type Props<Value extends string> = {
  label: string;
  value: Value;
  groups: { label?: string; options: Option<Value>[] }[];
  onChange: (value: Value) => void;
  className?: string;
};

export function Select<Value extends string>({
  label,
  value,
  groups,
  onChange,
  className = "",
}: Props<Value>) {
  const choose = (next: string) => {
    const options = groups.flatMap((group) => group.options);
    const chosen = options.find((option) => option.value === next);
    if (chosen) onChange(chosen.value);
  };
  return (
    <Radix.Root value={value} onValueChange={choose}>
      <Radix.Trigger
        aria-label={label}
        className={`flex items-center justify-between gap-2 rounded-md bg-raised px-3 py-1.5 text-left text-[13px] hover:bg-line ${className}`}
      >
        <span className="truncate">
          <Radix.Value />
        </span>
        <Radix.Icon>
          <ChevronDown size={14} />
        </Radix.Icon>
      </Radix.Trigger>
      <Radix.Portal>
        <Radix.Content
          position="popper"
          sideOffset={4}
          className="z-20 max-h-80 overflow-auto rounded-lg border border-line bg-panel p-1 shadow-xl"
        >
          <Radix.Viewport>
            {groups.map((group, number) => (
              <Radix.Group key={group.label ?? number}>
                {group.label && (
                  <Radix.Label className="px-2 pt-1.5 text-xs text-quiet">
                    {group.label}
                  </Radix.Label>
                )}
                {group.options.map((option) => (
                  <Radix.Item
                    key={option.value}
                    value={option.value}
                    className="flex cursor-pointer items-center gap-2 rounded px-2 py-1.5 text-[13px] data-highlighted:bg-raised"
                  >
                    <span className="w-4">
                      <Radix.ItemIndicator>
                        <Check size={14} />
                      </Radix.ItemIndicator>
                    </span>
                    <Radix.ItemText>{option.label}</Radix.ItemText>
                  </Radix.Item>
                ))}
              </Radix.Group>
            ))}
          </Radix.Viewport>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
