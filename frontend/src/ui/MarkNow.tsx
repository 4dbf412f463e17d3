/** Puts a mark where the recording stands. */

import { putMark, useKeyHint } from "../keyMap";
import { useLive } from "../live/store";
import { Button } from "./Button";

export function MarkNow() {
  const isOn = useLive((live) => (live.recording?.stage ?? "off") !== "off");
  const hint = useKeyHint("mark");
  return (
    <Button
      disabled={!isOn}
      title={isOn ? `A mark at this moment${hint}` : "Nothing is being recorded"}
      onClick={putMark}
    >
      Mark now
    </Button>
  );
}
