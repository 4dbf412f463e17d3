/** Watch: before you go on air, while you are, and after. */

import { useEffect, useRef } from "react";
import { useLive } from "../live/store";
import { Before } from "./Before";
import { showEvening, useShownEvening } from "./evenings";
import { OnAir } from "./OnAir";
import { Report } from "./Report";

export function WatchPage() {
  const stage = useLive((live) => live.watch?.stage ?? "off");
  const evening = useLive((live) => live.watch?.evening ?? "");
  const shown = useShownEvening();
  const last = useRef("");
  useEffect(() => {
    // What has just ended is shown.
    if (stage === "off" && last.current) showEvening(last.current);
    last.current = evening;
  }, [stage, evening]);
  if (stage !== "off") return <OnAir key={evening} />;
  return shown ? <Report key={shown} id={shown} /> : <Before />;
}
