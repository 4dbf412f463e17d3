/** What the whole chain came from, and the loop on which it is tuned. */

import { LoopBar } from "./LoopBar";
import { PresetMenu } from "./PresetMenu";

export function ChainBar() {
  return (
    <div className="mb-2.5 flex flex-wrap items-center gap-x-4 gap-y-2 border-b border-line pb-2.5">
      <PresetMenu />
      <LoopBar />
    </div>
  );
}
