/** Puts a mark where the recording stands. */

import { putMark, useKeyHint } from "../keyMap";
import { useLive } from "../live/store";
import { Button } from "./Button";
import { t } from "../text/text";

export function MarkNow() {
  const isOn = useLive((live) => (live.recording?.stage ?? "off") !== "off");
  const hint = useKeyHint("mark");
  return (
    <Button
      disabled={!isOn}
      title={isOn ? t("ui.addAMarkNowHint", { hint }) : t("ui.notRecording")}
      onClick={putMark}
    >
      {t("ui.addMark")}
    </Button>
  );
}
