/** While a take is made: what to do, what to read, how long still, and the live level. */

import type { TakeKind } from "../api/client";
import { useLevels, useReadings } from "../live/readings";
import { Button } from "../ui/Button";
import { useFocusIfLost } from "../ui/focusIfLost";
import { LevelBar } from "../ui/LevelBar";
import { Progress } from "../ui/Progress";
import { decibels } from "../units/format";
import { run, TAKES } from "./takes";

export function Prompter({ kind, isStandIn }: { kind: TakeKind; isStandIn: boolean }) {
  const take = useLevels((levels) => levels?.take);
  const place = useFocusIfLost<HTMLElement>();
  const { name, task, lines } = TAKES[kind];
  const level = useReadings((now) => now.livePeak("microphone"));
  const begins = take?.begins_in_s ?? 0;
  const left = take ? Math.max(0, take.wanted_s - take.elapsed_s) : 0;
  return (
    <section
      ref={place}
      tabIndex={-1}
      aria-label={`Taking: ${name}`}
      className="outline-none flex flex-col items-center rounded-lg bg-panel px-8 py-6 text-center"
    >
      <p className="text-[15px] text-quiet">
        {isStandIn ? "The stand-in does this for you. " : ""}
        {task}
      </p>
      {lines && <p className="mt-4 max-w-[720px] text-[21px] leading-8">{lines}</p>}
      <p role="status" aria-live="polite" className="mt-5 text-[15px] font-semibold">
        {begins > 0
          ? `Begins in ${Math.ceil(begins)}`
          : take?.beginnings
            ? "A piece of the sound was lost: the take begins again, just go on"
            : "Recording"}
      </p>
      <div className="mt-2 flex items-center gap-3">
        <Progress label="How far the take is" share={take ? take.elapsed_s / take.wanted_s : 0} />
        <span className="figures w-20 text-left text-[13px] whitespace-nowrap">
          {left.toFixed(0)} s left
        </span>
      </div>
      <div className="mt-3 flex items-center gap-3">
        <LevelBar
          dbfs={level}
          colour="var(--voice)"
          label="Level at the microphone"
          className="h-2.5 w-60"
        />
        <span aria-hidden className="figures w-20 text-left text-[13px] whitespace-nowrap">
          {decibels(level, 0)} dBFS
        </span>
      </div>
      <Button className="mt-4" onClick={() => void run("/recording", "DELETE")}>
        Cancel
      </Button>
    </section>
  );
}
