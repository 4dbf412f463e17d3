/** A small raised area that opens from a button and closes with Escape. */

import { Popover as Radix } from "radix-ui";
import type { ReactNode } from "react";

type Props = { label: string; trigger: ReactNode; children: ReactNode; className?: string };

export function Popover({ label, trigger, children, className = "w-64" }: Props) {
  return (
    <Radix.Root>
      <Radix.Trigger asChild>{trigger}</Radix.Trigger>
      <Radix.Portal>
        <Radix.Content
          aria-label={label}
          align="start"
          sideOffset={6}
          collisionPadding={10}
          className={`z-10 max-h-(--radix-popover-content-available-height) overflow-auto rounded-lg border border-line bg-panel p-3 shadow-xl ${className}`}
        >
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
