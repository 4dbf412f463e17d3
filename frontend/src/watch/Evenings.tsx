/** The evenings that were: a line each, and how their figures went from one to the next. */

import type { KeptEvening } from "../api/client";
import { GOOD_SII } from "../api/facts.gen";
import { useLive } from "../live/store";
import { Button } from "../ui/Button";
import { colour, Picture } from "../ui/Picture";
import { Popover } from "../ui/Popover";
import { clock, decibels } from "../units/format";
import {
  bringBackEvening,
  dayOf,
  showEvening,
  useDeletedEvening,
  useKeptEvenings,
} from "./evenings";
import { t } from "../text/text";

const SHOWN = 100;
const COMPARED = 40;

export function Evenings() {
  const { kept, trouble } = useKeptEvenings();
  const deleted = useDeletedEvening();
  return (
    <section aria-label={t("watch.broadcasts")} className="rounded-lg bg-panel p-4">
      <h3 className="mb-1 flex justify-between text-[13px] font-semibold">
        {t("watch.broadcasts")}
        {(kept?.length ?? 0) > 1 && (
          <Popover
            label={t("watch.broadcastsCompared")}
            className="w-[420px]"
            trigger={
              <button type="button" className="font-normal text-voice-strong underline">
                {t("watch.compare")}
              </button>
            }
          >
            <Compared evenings={(kept ?? []).slice(0, COMPARED).reverse()} />
          </Popover>
        )}
      </h3>
      {deleted && (
        <p
          role="status"
          className="mb-2 flex items-center gap-2 rounded bg-raised px-2 py-1 text-[13px]"
        >
          <span className="min-w-0 flex-1 truncate">
            {t("watch.titleWasDeletedItsRecording", { title: deleted.title })}
          </span>
          <Button onClick={() => void bringBackEvening(deleted.id)}>{t("watch.restore")}</Button>
        </p>
      )}
      {trouble && <p role="alert">▲ {trouble}</p>}
      {kept?.length === 0 && (
        <p className="text-[13px] text-quiet">{t("watch.noBroadcastsYetEachOne")}</p>
      )}
      <ul className="max-h-[250px] overflow-auto">
        {kept?.slice(0, SHOWN).map((one) => (
          <li key={one.id} className="border-t border-line">
            <button
              type="button"
              title={one.title}
              onClick={() => showEvening(one.id)}
              className="grid w-full grid-cols-[1.3fr_1fr_1fr_0.8fr] gap-x-2 py-2 text-left text-[13px] hover:bg-raised/40"
            >
              <Cell
                top={dayOf(one.started_utc)}
                below={t("watch.timeLive", { time: clock(one.seconds) })}
              />
              <Cell top={decibels(one.figures.loudness_lufs)} below="LUFS" />
              <Cell top={decibels(one.figures.clearance_db)} below={t("watch.dbAboveGame")} />
              <Cell top={String(one.events)} below={one.events === 1 ? "moment" : "moments"} />
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Cell({ top, below }: { top: string; below: string }) {
  return (
    <span className="min-w-0">
      <span className="figures block font-semibold">{top}</span>
      <span className="block truncate text-xs text-quiet">{below}</span>
    </span>
  );
}

type Line = {
  name: string;
  hue: string;
  wanted: number | null;
  digits: number;
  valueOf: (one: KeptEvening) => number | null;
};

function Compared({ evenings }: { evenings: KeptEvening[] }) {
  const targets = useLive((live) => live.state?.rig.targets);
  const lines: Line[] = [
    {
      name: t("watch.loudnessLufs"),
      hue: "text",
      wanted: targets?.loudness_lufs ?? null,
      digits: 1,
      valueOf: (one) => one.figures.loudness_lufs,
    },
    {
      name: t("watch.voiceAboveGameDb"),
      hue: "game",
      wanted: targets?.game_clearance_db ?? null,
      digits: 1,
      valueOf: (one) => one.figures.clearance_db,
    },
    {
      name: t("watch.intelligibility"),
      hue: "voice",
      wanted: GOOD_SII,
      digits: 2,
      valueOf: (one) => one.figures.intelligibility,
    },
    {
      name: t("watch.eventsPerHour"),
      hue: "over",
      wanted: null,
      digits: 1,
      valueOf: (one) => one.events / Math.max(1 / 60, one.seconds / 3600),
    },
  ];
  return (
    <div className="flex flex-col gap-2.5">
      {lines.map((line) => (
        <ComparedLine key={line.name} line={line} evenings={evenings} />
      ))}
      <p className="figures flex justify-between text-xs text-quiet">
        <span>{evenings[0] && dayOf(evenings[0].started_utc)}</span>
        <span>
          {evenings.length > 0 && dayOf(evenings[evenings.length - 1]?.started_utc ?? "")}
        </span>
      </p>
    </div>
  );
}

function ComparedLine({ line, evenings }: { line: Line; evenings: KeptEvening[] }) {
  const values = evenings.map(line.valueOf);
  const known = values.filter((value) => value !== null);
  const all = line.wanted === null ? known : [...known, line.wanted];
  const low = Math.min(...all);
  const high = Math.max(...all);
  const { hue, wanted } = line;
  const paint = (canvas: CanvasRenderingContext2D, width: number, height: number) => {
    const span = Math.max(1e-6, high - low);
    const y = (value: number) => 5 + (height - 10) * (1 - (value - low) / span);
    const x = (n: number) => 5 + (n / Math.max(1, values.length - 1)) * (width - 10);
    if (wanted !== null) {
      canvas.strokeStyle = colour("quiet");
      canvas.setLineDash([5, 4]);
      canvas.beginPath();
      canvas.moveTo(0, y(wanted));
      canvas.lineTo(width, y(wanted));
      canvas.stroke();
      canvas.setLineDash([]);
    }
    canvas.fillStyle = canvas.strokeStyle = colour(hue);
    canvas.beginPath();
    values.forEach((value, n) => value !== null && canvas.lineTo(x(n), y(value)));
    canvas.stroke();
    values.forEach((value, n) => {
      if (value === null) return;
      canvas.beginPath();
      canvas.arc(x(n), y(value), 3, 0, 7);
      canvas.fill();
    });
  };
  const text = (value: number) => decibels(value, line.digits);
  const said = known.length
    ? t("watch.nameFromFirstToLast", {
        first: text(known[0] ?? 0),
        last: text(known[known.length - 1] ?? 0),
        name: line.name,
      })
    : t("watch.nameNotMeasured", { name: line.name });
  return (
    <div>
      <p className="flex justify-between text-xs">
        <span>{line.name}</span>
        <span className="figures text-quiet">
          {known.length > 0 && t("watch.lastValue", { value: text(known[known.length - 1] ?? 0) })}
          {wanted !== null && t("watch.targetTarget", { target: text(wanted) })}
        </span>
      </p>
      <div className="h-12 rounded bg-ground">
        <Picture paint={paint} label={said} className="size-full" />
      </div>
    </div>
  );
}
