/** What the server does only while somebody looks. */

import { useEffect } from "react";
import { ask } from "./link";
import { useLive } from "./store";

type Wish = "watch_balance" | "watch_devices" | "look_at_watch" | "look_at_record";

/** Ask for it as long as what calls this is shown, on every connection anew. */
export function useWhileShown(type: Wish) {
  const isOpen = useLive((live) => live.status === "open");
  useEffect(() => {
    if (!isOpen) return;
    ask({ type, is_on: true });
    return () => {
      if (useLive.getState().status === "open") ask({ type, is_on: false });
    };
  }, [isOpen, type]);
}
