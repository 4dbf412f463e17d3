/** The report of an evening: figures, what to do next time, the lanes, what happened, what was changed. */

import { ChevronLeft } from "lucide-react";
import { useEffect, useState, type ReactNode } from "react";
import { askEvenings, type EveningReport, type RecordedPart, type LanesData } from "../api/client";
import { pause } from "../live/recordingPlayer";
import { Button } from "../ui/Button";
import { Popover } from "../ui/Popover";
import { clock, decibels } from "../units/format";
import { did } from "../live/store";
import { dayOf, deleteEvening, showEvening, timeOf, useEvenings } from "./evenings";
import { hearMoment, type HearAt } from "./hearMoment";
import { LanesPicture } from "./Lanes";
import { MomentList } from "./MomentList";
import { Title } from "./Title";
import { t } from "../text/text";

const POINTS = 420;

export function Report({ id }: { id: string }) {
  const { found, trouble } = useEvenings<EveningReport>(`/${id}`, id);
  const { found: lanes } = useEvenings<LanesData>(`/${id}/lanes?points=${POINTS}`, id);
  useEffect(() => pause, []);
  if (trouble) {
    return (
      <p role="alert" className="text-[13px]">
        ▲ {trouble} <Button onClick={() => showEvening("")}>{t("watch.back")}</Button>
      </p>
    );
  }
  if (!found) return null;
  const { evening } = found;
  const hearAt: HearAt = (atS, way) => void hearMoment(partsOf(evening), false, atS, way);
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-x-2.5 gap-y-1.5">
        <Button aria-label={t("watch.backToTheChecklist")} onClick={() => showEvening("")}>
          <ChevronLeft aria-hidden size={15} className="-ml-1 inline" /> {t("watch.back")}
        </Button>
        <Title>{evening.title}</Title>
        <p className="text-quiet">
          {t("watch.dayTimeLiveCut", {
            day: dayOf(evening.started_utc),
            time: clock(evening.seconds),
            cut: evening.was_cut ? t("watch.interrupted") : "",
          })}
        </p>
        <span className="ml-auto" />
        <Keep id={id} />
        <Button onClick={() => void deleteEvening(id, evening.title)}>{t("watch.delete")}</Button>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(270px,32%)] items-start gap-3">
        <div className="flex min-w-0 flex-col gap-3">
          <Figures report={found} />
          <section
            aria-label={t("watch.timeline")}
            className="flex h-[430px] flex-col rounded-lg bg-panel p-3.5"
          >
            <LanesPicture
              data={lanes}
              events={evening.events}
              marks={evening.marks}
              startLabel={timeOf(evening.anchors, 0)}
              endLabel={timeOf(evening.anchors, evening.seconds)}
              onHear={hearAt}
            />
          </section>
          <Changes report={found} />
          <Differences report={found} />
        </div>
        <div className="flex flex-col gap-3">
          <Box title={t("watch.nextTime")}>
            {evening.advice.length === 0 && (
              <p className="text-quiet">{t("watch.nothingToChange")}</p>
            )}
            <ul className="flex flex-col gap-1.5">
              {evening.advice.map((sentence) => (
                <li key={sentence}>{sentence}</li>
              ))}
            </ul>
          </Box>
          <Note key={evening.id} id={id} note={evening.note} />
          <div className="flex max-h-[420px] flex-col">
            <MomentList
              events={evening.events}
              marks={evening.marks}
              anchors={evening.anchors}
              nowS={evening.seconds}
              onHear={hearAt}
            />
          </div>
        </div>
      </div>
    </>
  );
}

function Box({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section aria-label={title} className="rounded-lg bg-panel p-4 text-[13px]">
      <h3 className="mb-1.5 font-semibold">{title}</h3>
      {children}
    </section>
  );
}

function Keep({ id }: { id: string }) {
  return (
    <Popover
      label={t("watch.saveReport")}
      className="w-72"
      trigger={<Button>{t("watch.saveReportMenu")}</Button>}
    >
      <ul className="flex flex-col gap-2 text-[13px]">
        <li>
          <a
            className="underline"
            href={`/api/evenings/${id}/report.html`}
            target="_blank"
            rel="noreferrer"
          >
            {t("watch.onePageToReadOr")}
          </a>
        </li>
        <li>
          <a className="underline" download={`evening-${id}.json`} href={`/api/evenings/${id}`}>
            {t("watch.jsonWithEverything")}
          </a>
        </li>
        <li>
          <a className="underline" download href={`/api/evenings/${id}/seconds.csv`}>
            {t("watch.csvWithOneLinePer")}
          </a>
        </li>
      </ul>
    </Popover>
  );
}

function Note({ id, note: first }: { id: string; note: string }) {
  const [note, setNote] = useState(first);
  const [kept, setKept] = useState(first);
  const save = async () => {
    if (note !== kept && (await did(askEvenings(`/${id}`, "PATCH", { note })))) setKept(note);
  };
  return (
    <textarea
      aria-label={t("watch.note")}
      placeholder={t("watch.noteHowItWentWhat")}
      value={note}
      rows={2}
      maxLength={2000}
      onChange={(event) => setNote(event.target.value)}
      onBlur={() => void save()}
      className="block w-full resize-y rounded-lg bg-panel px-4 py-2.5 text-[13px]"
    />
  );
}

const percent = (share: number | null) => (share === null ? "–" : `${Math.round(share * 100)} %`);

function Figures({ report: { evening, shares } }: { report: EveningReport }) {
  const { figures } = evening;
  const cells = [
    [t("watch.loudness"), decibels(figures.loudness_lufs), "LUFS"],
    [t("watch.voiceAboveGame"), decibels(figures.clearance_db), "dB"],
    [t("watch.voicePeaks"), decibels(evening.voice_peaks_dbfs), "dBFS"],
    [t("watch.intelligibility"), decibels(figures.intelligibility, 2), ""],
    [t("watch.highestTruePeak"), decibels(figures.true_peak_dbtp), "dBTP"],
    [t("watch.speechTime"), clock(evening.speech_s), ""],
    [t("watch.heardByViewers"), percent(shares.viewers), ""],
    [t("watch.heardByTheCall"), percent(shares.call), ""],
  ] as const;
  return (
    <dl className="grid grid-cols-4 gap-x-3 gap-y-2 rounded-lg bg-panel p-4">
      {cells.map(([label, value, unit]) => (
        <div key={label}>
          <dt className="text-xs text-quiet">{label}</dt>
          <dd className="figures text-[16px] font-semibold">
            {value} <span className="text-xs font-normal text-quiet">{unit}</span>
          </dd>
        </div>
      ))}
    </dl>
  );
}

function Differences({
  report: { differences, differences_in_words: lines },
}: {
  report: EveningReport;
}) {
  if (!differences.before) return null;
  return (
    <Box title={t("watch.changedSinceThePreviousBroadcast")}>
      {differences.is_other && <p>{t("watch.inputsOutputsOrStagesAre")}</p>}
      {!differences.is_other && lines.length === 0 && (
        <p className="text-quiet">{t("watch.noChanges")}</p>
      )}
      <ul className="max-h-40 overflow-auto" tabIndex={lines.length ? 0 : undefined}>
        {lines.map((line) => (
          <li key={line} className="border-t border-line py-1 break-words first:border-0">
            {line}
          </li>
        ))}
      </ul>
    </Box>
  );
}

function Changes({ report: { evening, changes_in_words: changes } }: { report: EveningReport }) {
  return (
    <Box title={t("watch.changesDuringTheBroadcast")}>
      {changes.length === 0 && <p className="text-quiet">{t("watch.noChanges")}</p>}
      <ul className="max-h-40 overflow-auto" tabIndex={changes.length ? 0 : undefined}>
        {changes.map((one, n) => (
          <li
            key={n}
            className="grid grid-cols-[56px_1fr] border-t border-line py-1 first:border-0"
          >
            <span className="figures text-quiet">{timeOf(evening.anchors, one.at_s)}</span>
            <span className="break-words">{one.lines.join("; ")}</span>
          </li>
        ))}
      </ul>
    </Box>
  );
}

/** A broadcast of an older version knows its one recording by its id alone: it began with it. */
const partsOf = ({ recordings, recording }: EveningReport["evening"]): RecordedPart[] =>
  recordings.length || !recording ? recordings : [{ id: recording, at_s: 0 }];
