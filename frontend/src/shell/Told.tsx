/** What stands wrong on air, over whatever task is open. */

import { useLive } from "../live/store";
import { TroubleCard } from "../pictures/TroubleCard";

export function Told() {
  const told = useLive((live) => live.watch?.told);
  if (!told) return null;
  return (
    <div className="absolute top-full right-4 z-20 mt-2 w-[330px] rounded-lg shadow-xl">
      <TroubleCard event={told} />
    </div>
  );
}
