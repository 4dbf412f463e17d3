import type { ReactNode } from "react";

/** Settings on the left, pictures on the right. */
export function PanelLayout({ settings, children }: { settings: ReactNode; children: ReactNode }) {
  return (
    <div className="flex gap-6">
      <div className="w-[262px] shrink-0">{settings}</div>
      <div className="flex min-w-0 flex-1 gap-3.5">{children}</div>
    </div>
  );
}
