/** The sound check: takes above, what was found and what follows from it below. */

import { GuideButton } from "../ui/GuideButton";
import { useState } from "react";
import type { Outcome, SoundCheck } from "../api/client";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { useFocusIfLost } from "../ui/focusIfLost";
import { Progress } from "../ui/Progress";
import { AcceptAll, AdviceList, WishBar } from "./AdviceList";
import { HearTakes } from "./HearTakes";
import { LevelsPicture } from "./LevelsPicture";
import { Prompter } from "./Prompter";
import { ProofTable } from "./ProofTable";
import { TakeCard } from "./TakeCard";
import { hasAll, KINDS, run } from "./takes";
import { VoicePicture } from "./VoicePicture";
import { t } from "../text/text";

export function SoundCheckPage() {
  const check = useLive((live) => live.soundCheck);
  const isStandIn = useLive((live) => {
    const { rig, devices } = live.state ?? {};
    const voice = rig?.inputs.find(({ id }) => id === rig.chained);
    return devices?.find(({ id }) => id === voice?.device)?.performs ?? false;
  });
  if (!check) return null;
  return (
    <>
      <header className="mb-2.5 flex flex-wrap items-center gap-x-3 gap-y-2">
        <h2 className="text-xl font-bold">{t("soundcheck.soundCheck")}</h2>
        <GuideButton page="sound-check" about={t("soundcheck.thisTask")} />
        <p className="text-[13px] text-quiet">{t("soundcheck.recordFourTakesAndGet")}</p>
        <div className="ml-auto flex items-center gap-2">
          {check.outcome && <HearTakes serial={check.heard} />}
          {!check.recording && (
            <Button
              look={hasAll(check) ? "plain" : "main"}
              onClick={() => void run("/round", "POST")}
            >
              {hasAll(check) ? t("soundcheck.recordAllAgain") : t("soundcheck.recordAllFour")}
            </Button>
          )}
        </div>
      </header>
      <Changes check={check} />
      <div className="mb-3 grid grid-cols-5 gap-2">
        {KINDS.map((kind) => (
          <TakeCard key={kind} kind={kind} check={check} />
        ))}
      </div>
      {check.recording ? (
        <Prompter kind={check.recording} isStandIn={isStandIn} />
      ) : (
        <Result check={check} />
      )}
    </>
  );
}

function Result({ check }: { check: SoundCheck }) {
  // What was computed stays in sight, and in reach of the keyboard, while it is computed anew.
  if (check.outcome) return <Found check={check} outcome={check.outcome} />;
  if (check.run) {
    return (
      <div className="grid place-items-center rounded-lg bg-panel p-8">
        <Computing run={check.run} />
      </div>
    );
  }
  return <NotYet check={check} />;
}

function NotYet({ check }: { check: SoundCheck }) {
  const place = useFocusIfLost<HTMLElement>();
  return (
    <section
      ref={place}
      tabIndex={-1}
      aria-label={t("soundcheck.suggestedSettings")}
      className="rounded-lg bg-panel p-8 text-center text-[13px] outline-none"
    >
      {check.failure && <p className="mb-3 text-over-strong">▲ {check.failure}</p>}
      {hasAll(check) ? (
        <Button look="main" onClick={() => void run("/run", "POST", check.wish)}>
          {t("soundcheck.computeSettings")}
        </Button>
      ) : (
        <p className="text-quiet">{t("soundcheck.recordTheRoomAndYour")}</p>
      )}
    </section>
  );
}

function Computing({ run: { text, share } }: { run: NonNullable<SoundCheck["run"]> }) {
  const place = useFocusIfLost<HTMLDivElement>();
  return (
    <div ref={place} tabIndex={-1} className="outline-none flex items-center gap-3 text-[13px]">
      <span role="status">{text} …</span>
      <Progress label={t("soundcheck.computing")} share={share} />
      <Button onClick={() => void run("/run", "DELETE")}>{t("soundcheck.cancel")}</Button>
    </div>
  );
}

const VIEWS = [
  { value: "levels", label: t("soundcheck.levels") },
  { value: "spectrum", label: t("soundcheck.spectrum") },
  { value: "proof", label: t("soundcheck.proof") },
];

function Found({ check, outcome }: { check: SoundCheck; outcome: Outcome }) {
  const [view, setView] = useState("levels");
  const place = useFocusIfLost<HTMLElement>();
  return (
    <div className="grid grid-cols-[minmax(0,5fr)_minmax(0,7fr)] items-start gap-3">
      <section
        ref={place}
        tabIndex={-1}
        aria-label={t("soundcheck.yourVoice")}
        className="outline-none rounded-lg bg-panel p-3"
      >
        <div className="mb-2 flex items-center justify-between gap-2">
          <h3 className="text-[15px] font-semibold">{t("soundcheck.yourVoice")}</h3>
          <Choice label={t("soundcheck.show")} value={view} options={VIEWS} onChange={setView} />
        </div>
        {view === "levels" && (
          <LevelsPicture outcome={outcome} wanted={check.wish.voice_peaks_dbfs} />
        )}
        {view === "spectrum" && (
          <>
            <VoicePicture spectrum={outcome.spectrum} />
            <p className="text-xs text-quiet">{t("soundcheck.amberAfterGrayBeforeDashed")}</p>
          </>
        )}
        {view === "proof" && <ProofTable outcome={outcome} />}
        <h4 className="mt-2 text-xs text-quiet">{t("soundcheck.measured")}</h4>
        <ul aria-label={t("soundcheck.measured")} className="list-disc pl-4 text-[13px]">
          {outcome.findings.map(({ code, text, confidence }) => (
            <li key={code}>
              {text}
              {confidence !== "sure" && <span className="text-quiet"> ({confidence})</span>}
            </li>
          ))}
        </ul>
      </section>
      <section aria-label={t("soundcheck.suggestedSettings")} className="rounded-lg bg-panel p-3">
        <div className="mb-2 flex flex-wrap items-center justify-between gap-2">
          <h3 className="text-[15px] font-semibold">{t("soundcheck.suggestedSettings")}</h3>
          {check.run ? <Computing run={check.run} /> : <AcceptAll check={check} />}
        </div>
        <div className="mb-2">
          <WishBar check={check} />
        </div>
        {check.failure && <p className="mb-2 text-[13px] text-over-strong">▲ {check.failure}</p>}
        <AdviceList check={check} outcome={outcome} />
        {outcome.shortfalls.map((text) => (
          <p key={text} className="mt-2 text-[13px]">
            {text}
          </p>
        ))}
      </section>
    </div>
  );
}

/** What is no longer as it was at the check that the chain comes from. */
function Changes({ check }: { check: SoundCheck }) {
  if (!check.changes.length || check.is_accepted) return null;
  return (
    <section
      aria-label={t("soundcheck.changesSinceTheLastCheck")}
      className="mb-2.5 flex flex-col gap-1.5"
    >
      {check.changes.map((change) => (
        <div
          key={change.code}
          className="flex items-center justify-between gap-3 rounded-lg bg-raised px-3 py-1.5 text-[13px]"
        >
          <p>{change.text}</p>
          {change.gain_db !== 0 && (
            <Button
              onClick={() => void run("/make-up", "POST", { gain_db: change.gain_db })}
              className="shrink-0 bg-panel"
            >
              {t("soundcheck.fixOnlyThis")}
            </Button>
          )}
          {change.stages.length > 0 && (
            <Button
              disabled={!check.outcome}
              onClick={() => void run("/accept", "POST", { stages: change.stages })}
              className="shrink-0 bg-panel"
            >
              {t("soundcheck.fixOnlyThis")}
            </Button>
          )}
        </div>
      ))}
    </section>
  );
}
