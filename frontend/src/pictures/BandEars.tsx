/** Two ways to find by ear what a band works on: the band alone, and a tone at its frequency. */

import { useEffect, useState } from "react";
import { auditionTone } from "../live/sound";
import { say } from "../live/store";
import { Button } from "../ui/Button";
import { HearButton } from "./HearButton";

export function BandAlone({ stageId, band, label }: Record<"stageId" | "band" | "label", string>) {
  return (
    <HearButton
      point={`band:${stageId}:${band}`}
      label="Band alone"
      title={`Listen to what ${label} works on, here only`}
    />
  );
}

export function AuditionTone({ hz }: { hz: number }) {
  const [isSounding, setSounding] = useState(false);
  useEffect(() => {
    if (!isSounding) return;
    auditionTone(hz).catch(() => say("trouble", "This browser cannot play sound."));
    return () => void auditionTone(null);
  }, [isSounding, hz]);
  return (
    <Button
      look={isSounding ? "main" : "plain"}
      aria-pressed={isSounding}
      title="A quiet tone at this frequency, here only"
      onClick={() => setSounding(!isSounding)}
    >
      Tone
    </Button>
  );
}
