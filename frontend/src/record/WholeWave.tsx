/** A recording's waveform: played from where it is pressed, a piece drawn by dragging, nearer and farther. */

import { Minus, Plus } from "lucide-react";
import { useCallback, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Overview, RecordingDetail } from "../api/client";
import { IconButton } from "../ui/IconButton";
import { colour, FIGURES_FONT, Picture } from "../ui/Picture";
import { clock } from "../units/format";
import { useFetched } from "./kept";
import { hear, seek, togglePlay, usePlayer } from "../live/recordingPlayer";
import { paintFlag, paintWave, trackColour } from "./waves";
import { t } from "../text/text";

const POINTS = 400;
const NEAREST_S = 4;
const DRAG_PX = 5;
const STEP_S = 5;

/** ``source`` is the track that is heard, or the one that stands for all. */
export function WholeWave({ one, source }: { one: RecordingDetail; source: string }) {
  const [view, setView] = useState({ from: 0, to: one.seconds });
  const { found: peaks } = useFetched<Overview>(
    `/${one.id}/peaks?points=${POINTS}&from_s=${view.from}&to_s=${view.to}`,
    one.seconds,
  );
  const place = useRef<HTMLDivElement>(null);
  const began = useRef<{ x: number; at: number } | null>(null);
  const { at, piece } = usePlayer();
  const track = one.tracks.find((each) => each.source === source);
  const heights = rowsOf(peaks, source);

  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const span = Math.max(0.001, view.to - view.from);
      const x = (seconds: number) => ((seconds - view.from) / span) * width;
      canvas.fillStyle = colour("ground");
      canvas.fillRect(0, 0, width, height);
      const shown = usePlayer.getState();
      if (shown.piece) {
        canvas.fillStyle = colour("raised");
        canvas.fillRect(x(shown.piece.from), 0, x(shown.piece.to) - x(shown.piece.from), height);
      }
      paintWave(
        canvas,
        { left: 2, width: width - 4, top: 14, height: height - 32 },
        heights,
        track && track.role !== "feed" ? trackColour(track.role) : "voice",
        x(shown.at),
      );
      canvas.fillStyle = colour("over");
      for (const gap of one.gaps) {
        const left = x(gap.frame / 48_000);
        canvas.fillRect(
          left,
          height - 4,
          Math.max(2, x((gap.frame + gap.frames) / 48_000) - left),
          4,
        );
      }
      for (const mark of one.marks) {
        const left = x(mark.frame / 48_000);
        if (left >= 0 && left <= width) paintFlag(canvas, left, 2, mark.by === "you");
      }
      canvas.fillStyle = colour("text");
      canvas.fillRect(x(shown.at) - 0.7, 0, 1.4, height);
      canvas.font = FIGURES_FONT;
      canvas.textBaseline = "bottom";
      canvas.fillStyle = colour("quiet");
      canvas.fillText(clock(view.from), 4, height - 2);
      canvas.textAlign = "right";
      canvas.fillText(clock(view.to), width - 4, height - 2);
      canvas.textAlign = "left";
    },
    [heights, view, one, track],
  );

  const secondsAt = (event: PointerEvent) => {
    const box = place.current?.getBoundingClientRect();
    if (!box) return 0;
    const share = Math.max(0, Math.min(1, (event.clientX - box.left) / box.width));
    return view.from + share * (view.to - view.from);
  };
  const onMove = (event: PointerEvent) => {
    const from = began.current;
    if (!from || Math.abs(event.clientX - from.x) < DRAG_PX) return;
    const here = secondsAt(event);
    usePlayer.setState({ piece: { from: Math.min(from.at, here), to: Math.max(from.at, here) } });
  };
  const onUp = (event: PointerEvent) => {
    const from = began.current;
    began.current = null;
    if (!from) return;
    if (Math.abs(event.clientX - from.x) < DRAG_PX) seek(from.at);
    else hear({ piece: usePlayer.getState().piece });
  };
  const zoom = (by: number) => {
    const span = Math.min(one.seconds, Math.max(NEAREST_S, (view.to - view.from) * by));
    const from = Math.max(0, Math.min(one.seconds - span, at - span / 2));
    setView({ from, to: from + span });
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const steps: Record<string, number> = {
      ArrowRight: at + (event.shiftKey ? 0.5 : STEP_S),
      ArrowLeft: at - (event.shiftKey ? 0.5 : STEP_S),
      PageUp: at + 12 * STEP_S,
      PageDown: at - 12 * STEP_S,
      Home: 0,
      End: one.seconds,
    };
    const next = steps[event.key];
    if (next !== undefined) seek(next);
    else if (event.key === " " || event.key === "Enter") togglePlay();
    else if (event.key === "+") zoom(0.5);
    else if (event.key === "-") zoom(2);
    else return;
    event.preventDefault();
  };
  return (
    <div className="relative">
      <div
        ref={place}
        role="slider"
        tabIndex={0}
        aria-label={t("record.playbackPosition")}
        aria-valuemin={0}
        aria-valuemax={Math.round(one.seconds)}
        aria-valuenow={Math.round(at)}
        aria-valuetext={t("record.position", {
          total: clock(one.seconds),
          kind: piece ? "part" : "whole",
          from: clock(piece?.from ?? 0),
          to: clock(piece?.to ?? 0),
          at: clock(at),
        })}
        onKeyDown={onKeyDown}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          began.current = { x: event.clientX, at: secondsAt(event) };
        }}
        onPointerMove={onMove}
        onPointerUp={onUp}
        className="h-[92px] touch-none overflow-hidden rounded"
      >
        <Picture paint={paint} label="" className="size-full" />
      </div>
      <div className="absolute top-0.5 right-0.5 flex rounded bg-panel/80">
        <IconButton
          label={t("record.zoomIn")}
          isOff={view.to - view.from <= NEAREST_S}
          onClick={() => zoom(0.5)}
        >
          <Plus size={13} />
        </IconButton>
        <IconButton
          label={t("record.zoomOut")}
          isOff={view.to - view.from >= one.seconds}
          onClick={() => zoom(2)}
        >
          <Minus size={13} />
        </IconButton>
      </div>
    </div>
  );
}

/** The heights of one track, or the highest of all. */
function rowsOf(peaks: Overview | null, source: string): number[] {
  if (!peaks) return [];
  const column = peaks.sources.indexOf(source);
  return peaks.peaks.map((row) => (column < 0 ? Math.max(0, ...row) : (row[column] ?? 0)));
}
