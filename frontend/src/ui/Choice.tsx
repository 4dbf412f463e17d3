/** One of a few: a row of buttons of which one is on (a radio group to a screen reader). */

import { ToggleGroup } from "radix-ui";

type Props<Value extends string> = {
  label: string;
  value: Value;
  options: { value: Value; label: string }[];
  onChange: (value: Value) => void;
};

export function Choice<Value extends string>({ label, value, options, onChange }: Props<Value>) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      className={`inline-flex gap-0.5 bg-raised p-0.5 ${options.length > 4 ? "flex-wrap rounded-2xl" : "rounded-full"}`}
      value={value}
      onValueChange={(next) => {
        const chosen = options.find((option) => option.value === next);
        if (chosen) onChange(chosen.value);
      }}
    >
      {options.map((option) => (
        <ToggleGroup.Item
          key={option.value}
          value={option.value}
          className="rounded-full px-2.5 py-1 text-[13px] whitespace-nowrap min-[1180px]:px-3.5 data-[state=on]:bg-voice-strong data-[state=on]:font-semibold data-[state=on]:text-on-voice"
        >
          {option.label}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
