/** The window's title says what stands wrong on air, so that it can be seen in a row of windows. */

import { useEffect } from "react";
import { useLive } from "../live/store";

export function useTitle() {
  const told = useLive((live) => live.watch?.told?.title);
  const isOnAir = useLive((live) => live.watch?.stage === "on_air");
  useEffect(() => {
    document.title = told ? `▲ ${told}` : isOnAir ? "On air, Goshawk" : "Goshawk";
  }, [told, isOnAir]);
}
