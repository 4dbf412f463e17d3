/** A small button that shows a picture and says a word. */

import type { ReactNode } from "react";

type Props = { label: string; isOff?: boolean; onClick: () => void; children: ReactNode };

export function IconButton({ label, isOff, onClick, children }: Props) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      disabled={isOff}
      onClick={onClick}
      className="grid min-h-6 min-w-6 place-items-center rounded p-1 hover:bg-raised disabled:opacity-40"
    >
      {children}
    </button>
  );
}
