/** The window's title says what stands wrong on air, so that it can be seen in a row of windows. */

import { useEffect } from "react";
import { useLive } from "../live/store";
import { t } from "../text/text";

export function useTitle() {
  const told = useLive((live) => live.watch?.told?.title);
  const isOnAir = useLive((live) => live.watch?.stage === "on_air");
  useEffect(() => {
    document.title = told ? `▲ ${told}` : isOnAir ? t("shell.liveGoshawk") : t("shell.goshawk");
  }, [told, isOnAir]);
}
