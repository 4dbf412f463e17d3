/** One of a few: a row of buttons of which one is on; arrows choose, as in every radio group. */

import { RadioGroup } from "radix-ui";

type Props<Value extends string> = {
  label: string;
  value: Value;
  options: { value: Value; label: string }[];
  onChange: (value: Value) => void;
};

export function Choice<Value extends string>({ label, value, options, onChange }: Props<Value>) {
  return (
    <RadioGroup.Root
      aria-label={label}
      className={`inline-flex gap-0.5 bg-raised p-0.5 ${options.length > 4 ? "flex-wrap rounded-2xl" : "rounded-full"}`}
      value={value}
      onValueChange={(next) => {
        const chosen = options.find((option) => option.value === next);
        if (chosen) onChange(chosen.value);
      }}
    >
      {options.map((option) => (
        <RadioGroup.Item
          key={option.value}
          value={option.value}
          className="rounded-full px-2.5 py-1 text-[13px] whitespace-nowrap min-[1180px]:px-3.5 data-[state=checked]:bg-voice-strong data-[state=checked]:font-semibold data-[state=checked]:text-on-voice"
        >
          {option.label}
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  );
}
