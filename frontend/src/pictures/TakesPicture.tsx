/** What a suppressor takes in each band, live: by the room it knows, and by what it knows of voices, in two shades. */

import { useCallback } from "react";
import { readings } from "../live/readings";
import { colour, Picture } from "../ui/Picture";
import { frequencyGrid, planeOf, traceBands } from "./frequencyAxis";

const TOP_DB = 0;
const BOTTOM_DB = -36;
const LEAST_DB = -120;

export function TakesPicture({ id, label }: { id: string; label: string }) {
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const plane = planeOf(width, height, TOP_DB, BOTTOM_DB);
      frequencyGrid(canvas, plane, TOP_DB, BOTTOM_DB, 12);
      const { room_takes_db: room, takes_db: whole } = readings.stages[id] ?? {};
      if (readings.isStale() || !Array.isArray(room) || !Array.isArray(whole)) return;
      const held = (levels: number[]) => levels.map((db) => Math.max(db, LEAST_DB));
      const shade = (from: number[], to: number[], tone: string, strength: number) => {
        canvas.beginPath();
        traceBands(canvas, plane, from);
        traceBands(canvas, plane, to, true);
        canvas.globalAlpha = strength;
        canvas.fillStyle = colour(tone);
        canvas.fill();
        canvas.globalAlpha = 1;
      };
      const byRoom = held(room);
      // Where it gives back what the room would have taken, nothing more is taken.
      const more = held(whole).map((db, n) => Math.min(db, byRoom[n] ?? db));
      shade(
        byRoom.map(() => TOP_DB),
        byRoom,
        "noise",
        0.45,
      );
      shade(byRoom, more, "voice", 0.5);
      canvas.beginPath();
      traceBands(canvas, plane, held(whole));
      canvas.strokeStyle = colour("voice");
      canvas.lineWidth = 1.6;
      canvas.stroke();
    },
    [id],
  );
  return <Picture follows="figures" paint={paint} label={label} className="h-[104px] w-full" />;
}
