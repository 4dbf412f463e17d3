/** Two ways to find by ear what a band works on: the band alone, and a tone at its frequency. */

import { useEffect, useState } from "react";
import { auditionTone } from "../live/sound";
import { say } from "../live/store";
import { Button } from "../ui/Button";
import { HearButton } from "./HearButton";
import { t } from "../text/text";

export function BandAlone({ stageId, band, label }: Record<"stageId" | "band" | "label", string>) {
  return (
    <HearButton
      point={`band:${stageId}:${band}`}
      label={t("pictures.soloBand")}
      title={t("pictures.listenToTheBandOf", { label })}
    />
  );
}

export function AuditionTone({ hz }: { hz: number }) {
  const [isSounding, setSounding] = useState(false);
  useEffect(() => {
    if (!isSounding) return;
    auditionTone(hz).catch(() => say("trouble", t("pictures.thisBrowserCannotPlaySound")));
    return () => void auditionTone(null);
  }, [isSounding, hz]);
  return (
    <Button
      look={isSounding ? "main" : "plain"}
      aria-pressed={isSounding}
      title={t("pictures.aQuietToneAtThis")}
      onClick={() => setSounding(!isSounding)}
    >
      {t("pictures.tone")}
    </Button>
  );
}
