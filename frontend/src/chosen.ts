/** The input whose chain this window shows. */

import type { InputSettings, Rig } from "./api/client";
import { mainVoice } from "./live/chains";
import { useLive } from "./live/store";
import { useView } from "./view";

/** The input whose chain is shown: the one that was chosen, else the main voice, else the first. */
function chosenInput(rig: Rig, chosenId: string): InputSettings | undefined {
  return rig.inputs.find(({ id }) => id === chosenId) ?? mainVoice(rig) ?? rig.inputs[0];
}

export function useChosenInput(): InputSettings | undefined {
  const rig = useLive((live) => live.state?.rig);
  const chosenId = useView((view) => view.chosenId);
  return rig && chosenInput(rig, chosenId);
}
