/** The picture that all tasks share: the voice's level from the microphone to the viewers. */

import { useCallback, useEffect, useRef, useState } from "react";
import type { Slot } from "../api/client";
import { useChosenInput } from "../chosen";
import { mainVoice } from "../live/chains";
import { ask } from "../live/link";
import { useCalmReadings, useLevels, useReadings } from "../live/readings";
import { useLive } from "../live/store";
import { Picture } from "../ui/Picture";
import { roleText } from "../ui/roles";
import { decibels, levelWords } from "../units/format";
import { openStage, openTask, useView } from "../view";
import { Notch } from "./Notch";
import { paintLevelPath } from "./paint";
import { columnX, frameOf, xOf } from "./scale";
import { Ticks } from "./Ticks";
import {
  columnsOf,
  figureOf,
  NARROW_PX,
  notchesOf,
  shortLabel,
  stationsOf,
  toViewers,
  type Station,
} from "./stations";
import { t } from "../text/text";

const TALL = 316;
const LOW = 150;

export function LevelPath({ isTall }: { isTall: boolean }) {
  const rig = useLive((live) => live.state?.rig);
  const isChosen = useView((view) => view.task === "chain");
  const chosen = useChosenInput();
  const selected = useView((view) => (view.task === "chain" ? view.stageId : null));
  // The main voice's way, but where another input's chain is worked on.
  const input = isChosen ? chosen : rig && mainVoice(rig);
  const place = useRef<HTMLElement>(null);
  const [width, setWidth] = useState(0);
  const height = isTall ? TALL : LOW;

  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    if (place.current) watcher.observe(place.current);
    return () => watcher.disconnect();
  }, []);

  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, w: number, h: number) => {
      if (rig) paintLevelPath(canvas, w, h, rig, input, isTall);
    },
    [rig, input, isTall],
  );
  const stations = rig ? stationsOf(rig, input) : [];
  const isWaiting = useLevels(
    (levels) => levels !== null && levels.stations[stations[0]?.meter ?? ""]?.peaks_dbfs == null,
  );
  if (!rig) return null;

  const chain = input?.chain ?? [];
  const columns = columnsOf(rig);
  const frame = frameOf(width, height, isTall);
  const gap = (frame.split - frame.left) / stations.length;
  const isNarrow = gap < NARROW_PX;

  return (
    <section
      ref={place}
      aria-label={t("levelpath.levelPath")}
      className="relative shrink-0 border-b border-line"
      style={{ height }}
    >
      {isTall && (
        <p className="absolute top-2 left-[18px] text-xs text-quiet">
          {t("levelpath.heading", {
            kind: input && input.id !== rig.chained ? "other_input" : "main",
            name: input?.name ?? "",
            waiting: !isWaiting ? "no" : input?.role === "voice" ? "speech" : "sound",
          })}
        </p>
      )}
      {isTall && (
        <p className="absolute top-2 text-xs text-quiet" style={{ left: frame.split + 18 }}>
          {t("levelpath.viewersFeed")}
        </p>
      )}
      {stations.map((station, i) => (
        <button
          key={station.meter}
          type="button"
          aria-pressed={station.stageId !== null && station.stageId === selected}
          title={isMovable(station, chain) ? t("levelpath.dragItOrPressAlt") : undefined}
          draggable={isMovable(station, chain)}
          onDragStart={(event) => event.dataTransfer.setData(DRAGGED, station.meter)}
          onDragOver={(event) => {
            if (event.dataTransfer.types.includes(DRAGGED)) event.preventDefault();
          }}
          onDrop={(event) => moveTo(chain, event.dataTransfer.getData(DRAGGED), i - 1)}
          onKeyDown={(event) => {
            const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
            if (!event.altKey || !by || !isMovable(station, chain)) return;
            event.preventDefault();
            moveTo(chain, station.meter, i - 1 + by);
          }}
          onClick={() => (station.stageId ? openStage(station.stageId) : openEnd(station.meter))}
          className={`absolute flex flex-col items-center justify-end rounded-md pb-1 ${
            station.stageId !== null && station.stageId === selected
              ? "bg-raised"
              : "hover:bg-raised/40"
          }`}
          style={{
            left: xOf(i, stations.length, frame) - Math.min(gap, 104) / 2,
            width: Math.min(gap, 104),
            top: isTall ? 26 : 4,
            bottom: 4,
          }}
        >
          <span
            title={station.label}
            className={`max-w-full truncate text-[13px] ${station.stageId === selected && isTall ? "font-semibold" : ""} ${
              chain.find(({ id }) => id === station.stageId)?.is_bypassed ? "line-through" : ""
            }`}
          >
            {isNarrow && shortLabel(station.label) !== station.label ? (
              <>
                <span aria-hidden>{shortLabel(station.label)}</span>
                <span className="sr-only">{station.label}</span>
              </>
            ) : (
              station.label
            )}
          </span>
          {isTall && (
            <StationFigure
              station={station}
              slot={chain.find(({ id }) => id === station.stageId)}
              isNarrow={isNarrow}
            />
          )}
          <LiveLevel meter={station.meter} />
        </button>
      ))}
      <Picture
        follows="figures"
        paint={paint}
        label={t("levelpath.levelsOfVoiceAndRoom")}
        className="pointer-events-none absolute inset-0 h-full w-full"
      />
      <Ticks
        frame={frame}
        marks={[
          ...stations.map(({ meter }, i) => ({
            meter,
            x: xOf(i, stations.length, frame),
            wide: 18,
          })),
          ...columns.map(({ id }, i) => ({
            meter: toViewers(id),
            x: columnX(i, columns.length, frame),
            wide: 12,
          })),
        ]}
      />
      {isTall &&
        chain.flatMap((slot, i) =>
          slot.is_bypassed
            ? []
            : notchesOf(slot).map((notch) => (
                <Notch
                  key={`${slot.id}.${notch.setting}`}
                  path={`inputs.${input?.id}.chain.${slot.id}.settings.${notch.setting}`}
                  label={notch.label}
                  side={notch.side}
                  x={xOf(i + 1, stations.length, frame)}
                  frame={frame}
                />
              )),
        )}
      {columns.map((input, i) => (
        <div
          key={input.id}
          className="absolute bottom-1.5 w-13 -translate-x-1/2 text-center"
          style={{ left: columnX(i, columns.length, frame) }}
        >
          <p
            title={input.name}
            className={`truncate text-xs font-semibold ${input.is_muted ? "line-through" : ""}`}
            style={{ color: roleText(input.role) }}
          >
            {input.name}
          </p>
          {isTall && <ColumnFigure inputId={input.id} />}
        </div>
      ))}
    </section>
  );
}

const DRAGGED = "application/x-goshawk-stage";

/** The limiter stays last; both ends stay where they are. */
const isMovable = (station: Station, chain: Slot[]) =>
  chain.some(({ id, stage }) => id === station.stageId && stage !== "limiter");

/** Move a stage to a place in its chain, counted from where the sound comes in. */
function moveTo(chain: Slot[], stageId: string, place: number) {
  const from = chain.findIndex(({ id }) => id === stageId);
  const last = chain.length - 1 - Number(chain.at(-1)?.stage === "limiter");
  const by = Math.max(0, Math.min(last, place)) - from;
  if (from >= 0 && by !== 0) ask({ type: "move_stage", stage_id: stageId, by });
}

const openEnd = (meter: string) => openTask(meter.startsWith("viewers/") ? "balance" : "wiring");

type FigureProps = { station: Station; slot: Slot | undefined; isNarrow: boolean };

function StationFigure({ station, slot, isNarrow }: FigureProps) {
  const figure = useReadings(({ levels, stages }) =>
    figureOf(station, slot, levels, stages[station.stageId ?? ""], isNarrow),
  );
  return (
    <span
      className={`figures whitespace-nowrap text-quiet ${isNarrow ? "text-[11px]" : "text-xs"}`}
      data-figure={station.meter}
    >
      {figure}
    </span>
  );
}

function ColumnFigure({ inputId }: { inputId: string }) {
  const peaks = useLevels((levels) => decibels(levels?.peaks_dbfs[inputId]));
  return <p className="figures text-xs text-quiet">{peaks}</p>;
}

/** The level now, for screen readers: it is drawn as a tick. */
function LiveLevel({ meter }: { meter: string }) {
  const level = useCalmReadings((now) =>
    levelWords(now.levels ? now.livePeak(meter) : undefined, 1),
  );
  return (
    <span className="sr-only" data-live={meter}>
      {t("levelpath.levelNow", { level })}
    </span>
  );
}
