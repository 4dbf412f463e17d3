/** A view's title; the keyboard goes on there when the view has come in the place of what was pressed. */

import type { ReactNode } from "react";
import { useFocusIfLost } from "../ui/focusIfLost";

export function Title({ children }: { children: ReactNode }) {
  const place = useFocusIfLost<HTMLHeadingElement>();
  return (
    <h2
      ref={place}
      tabIndex={-1}
      className="min-w-0 truncate text-[19px] font-semibold outline-none"
    >
      {children}
    </h2>
  );
}
