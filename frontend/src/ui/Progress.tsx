import { Progress as Radix } from "radix-ui";

type Props = { label: string; share: number };

/** How far something has come, from 0 to 1. */
export function Progress({ label, share }: Props) {
  const percent = Math.round(Math.max(0, Math.min(1, share)) * 100);
  return (
    <Radix.Root
      value={percent}
      aria-label={label}
      className="h-2 w-60 max-w-[30vw] overflow-hidden rounded-full bg-line"
    >
      <Radix.Indicator className="h-full rounded-full bg-voice" style={{ width: `${percent}%` }} />
    </Radix.Root>
  );
}
