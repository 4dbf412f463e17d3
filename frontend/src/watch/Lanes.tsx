/** An evening as lanes over one time: clearances, peaks, loudness, words, who heard, what was recorded, and what happened. */

import { useCallback, useRef, type KeyboardEvent, type PointerEvent } from "react";
import type { DrawnLane, LanesData, Mark, WatchEvent } from "../api/client";
import { colour, Picture } from "../ui/Picture";
import { clock } from "../units/format";
import type { HearAt } from "./hearMoment";
import { laneSentence } from "./lanes";
import { t } from "../text/text";

const MARGIN = 4;

type Props = {
  data: LanesData | null;
  events: WatchEvent[];
  marks: Mark[];
  /** What stands at the right end. */
  endLabel: string;
  startLabel: string;
  onHear: HearAt;
};

export function LanesPicture({ data, events, marks, startLabel, endLabel, onHear }: Props) {
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-[5px]">
      {data?.drawn.map((lane) =>
        lane.is_share ? (
          <Row key={lane.column} name={lane.name} className="h-[18px]">
            <Bar values={data.means[lane.column] ?? []} hue={lane.hue} label={lane.name} />
          </Row>
        ) : (
          <LineLane key={lane.column} lane={lane} data={data} onHear={onHear} />
        ),
      )}
      <Row name={t("watch.events")} className="h-[20px]">
        <Moments data={data} events={events} marks={marks} onHear={onHear} />
      </Row>
      <p className="figures flex justify-between pl-[122px] text-xs text-quiet">
        <span>{startLabel}</span>
        <span>{endLabel}</span>
      </p>
    </div>
  );
}

type RowProps = {
  name: string;
  note?: string | undefined;
  className?: string;
  children: React.ReactNode;
};

function Row({ name, note, className = "", children }: RowProps) {
  return (
    <div
      className={`grid grid-cols-[112px_minmax(0,1fr)] grid-rows-[minmax(0,1fr)] gap-x-2.5 ${className}`}
    >
      <p className="text-[13px] leading-tight font-semibold">
        {name}
        {note && <span className="block text-[11px] font-normal text-quiet">{note}</span>}
      </p>
      {children}
    </div>
  );
}

/** Where in the evening a press on a lane was. */
function secondsAt(event: PointerEvent, data: LanesData): number {
  const box = event.currentTarget.getBoundingClientRect();
  const share = Math.max(0, Math.min(1, (event.clientX - box.left) / box.width));
  return data.from_s + share * (data.to_s - data.from_s);
}

type LaneProps = { lane: DrawnLane; data: LanesData; onHear: HearAt };

function LineLane({ lane, data, onHear }: LaneProps) {
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const hue = colour(lane.hue);
      const y = (value: number) => {
        const held = Math.max(lane.low, Math.min(lane.high, value));
        return MARGIN + (height - 2 * MARGIN) * (1 - (held - lane.low) / (lane.high - lane.low));
      };
      canvas.fillStyle = colour("ground");
      canvas.beginPath();
      canvas.roundRect(0, 0, width, height, 4);
      canvas.fill();
      canvas.fillStyle = hue;
      canvas.globalAlpha = 0.16;
      canvas.fillRect(0, y(lane.band_high), width, y(lane.band_low) - y(lane.band_high));
      const means = data.means[lane.column] ?? [];
      const lows = data.lows[lane.column] ?? [];
      const highs = data.highs[lane.column] ?? [];
      const x = (n: number) => (n / Math.max(1, means.length - 1)) * width;
      canvas.globalAlpha = 0.35;
      means.forEach((_, n) => {
        const low = lows[n];
        const high = highs[n];
        if (low == null || high == null) return;
        const top = y(high);
        canvas.fillRect(x(n) - 0.6, top, 1.2, Math.max(0.5, y(low) - top));
      });
      canvas.globalAlpha = 1;
      canvas.strokeStyle = hue;
      canvas.lineWidth = 1.6;
      canvas.lineJoin = "round";
      canvas.beginPath();
      let isDown = false;
      means.forEach((value, n) => {
        if (value == null) {
          isDown = false;
          return;
        }
        if (isDown) canvas.lineTo(x(n), y(value));
        else canvas.moveTo(x(n), y(value));
        isDown = true;
      });
      canvas.stroke();
    },
    [lane, data],
  );
  return (
    <Row name={lane.name} note={lane.wanted} className="min-h-[34px] flex-1">
      <div
        className="min-h-0 cursor-pointer"
        onPointerDown={(event) => onHear(secondsAt(event, data))}
      >
        <Picture paint={paint} label={laneSentence(lane, data)} className="size-full" />
      </div>
    </Row>
  );
}

function Bar({ values, hue, label }: { values: (number | null)[]; hue: string; label: string }) {
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      canvas.fillStyle = colour("ground");
      canvas.beginPath();
      canvas.roundRect(0, 1, width, height - 2, 4);
      canvas.fill();
      const step = width / Math.max(1, values.length);
      canvas.fillStyle = colour(hue);
      canvas.globalAlpha = 0.8;
      let from = -1;
      for (let n = 0; n <= values.length; n++) {
        const isOn = (values[n] ?? 0) > 0.25;
        if (isOn && from < 0) from = n;
        if (isOn || from < 0) continue;
        canvas.fillRect(from * step, 2, (n - from) * step, height - 4);
        from = -1;
      }
      canvas.globalAlpha = 1;
    },
    [values, hue],
  );
  const known = values.filter((value) => value !== null);
  const share = known.filter((value) => value > 0.25).length / Math.max(1, known.length);
  return (
    <Picture
      paint={paint}
      label={t("watch.labelShareOfTheTime", { share: Math.round(share * 100), label })}
      className="size-full"
    />
  );
}

type MomentsProps = {
  data: LanesData | null;
  events: WatchEvent[];
  marks: Mark[];
  onHear: HearAt;
};

/** Events and marks on one line: a triangle begins an event, a bar says how long it lasted; a flag is a mark. */
function Moments({ data, events, marks, onHear }: MomentsProps) {
  const place = useRef<HTMLDivElement>(null);
  const from = data?.from_s ?? 0;
  const span = Math.max(1, (data?.to_s ?? 1) - from);
  const left = (atS: number) => `${((atS - from) / span) * 100}%`;
  const isShown = (atS: number) => atS >= from && atS <= from + span;
  const onKeyDown = (event: KeyboardEvent) => {
    const buttons = [...(place.current?.querySelectorAll("button") ?? [])];
    const at = buttons.indexOf(document.activeElement as HTMLButtonElement);
    const step = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
    if (!step || at < 0) return;
    event.preventDefault();
    buttons[at + step]?.focus();
  };
  return (
    <div
      ref={place}
      onKeyDown={onKeyDown}
      className="relative border-b border-line"
      role="group"
      aria-label={t("watch.eventsOnTheTimeline")}
    >
      {marks
        .filter(({ frame }) => isShown(frame / 48_000))
        .map((mark) => (
          <button
            key={`mark ${mark.id}`}
            type="button"
            tabIndex={-1}
            title={mark.name || t("watch.mark")}
            aria-label={t("watch.nameAtTime", {
              time: clock(mark.frame / 48_000),
              name: mark.name || t("watch.mark"),
            })}
            onClick={() => onHear(mark.frame / 48_000)}
            className="absolute bottom-0 -translate-x-1/2 text-[13px] leading-none"
            style={{ left: left(mark.frame / 48_000) }}
          >
            ▸
          </button>
        ))}
      {events
        .filter(({ began_s }) => isShown(began_s))
        .map((event) => (
          <button
            key={event.number}
            type="button"
            tabIndex={-1}
            title={event.title}
            aria-label={t("watch.titleAtTime", { time: clock(event.began_s), title: event.title })}
            onClick={() => onHear(event.began_s, event.heard_as)}
            className="absolute bottom-0 -translate-x-1/2 text-[13px] leading-none text-over-strong"
            style={{ left: left(event.began_s) }}
          >
            ▲
          </button>
        ))}
    </div>
  );
}
