/** While a take is made: what to do, what to read, how long still, and the live level. */

import type { TakeKind } from "../api/client";
import { useLevels, useReadings } from "../live/readings";
import { Button } from "../ui/Button";
import { useFocusIfLost } from "../ui/focusIfLost";
import { LevelBar } from "../ui/LevelBar";
import { Progress } from "../ui/Progress";
import { decibels } from "../units/format";
import { run, TAKES } from "./takes";
import { t } from "../text/text";

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
      aria-label={t("soundcheck.recordingTheTakeName", { name })}
      className="outline-none flex flex-col items-center rounded-lg bg-panel px-8 py-6 text-center"
    >
      <p className="text-[15px] text-quiet">
        {isStandIn ? t("soundcheck.thePracticeVoiceDoesThis") : ""}
        {task}
      </p>
      {lines && <p className="mt-4 max-w-[720px] text-[21px] leading-8">{lines}</p>}
      <p role="status" aria-live="polite" className="mt-5 text-[15px] font-semibold">
        {begins > 0
          ? t("soundcheck.startsInSeconds", { seconds: Math.ceil(begins) })
          : take?.beginnings
            ? t("soundcheck.someSoundWasLostThe")
            : t("soundcheck.recording")}
      </p>
      <div className="mt-2 flex items-center gap-3">
        <Progress
          label={t("soundcheck.takeProgress")}
          share={take ? take.elapsed_s / take.wanted_s : 0}
        />
        <span className="figures w-20 text-left text-[13px] whitespace-nowrap">
          {t("soundcheck.tofixedSLeft", { toFixed: left.toFixed(0) })}
        </span>
      </div>
      <div className="mt-3 flex items-center gap-3">
        <LevelBar
          dbfs={level}
          colour="var(--voice)"
          label={t("soundcheck.levelAtTheMicrophone")}
          className="h-2.5 w-60"
        />
        <span aria-hidden className="figures w-20 text-left text-[13px] whitespace-nowrap">
          {decibels(level, 0)} dBFS
        </span>
      </div>
      <Button className="mt-4" onClick={() => void run("/recording", "DELETE")}>
        {t("soundcheck.cancel")}
      </Button>
    </section>
  );
}
