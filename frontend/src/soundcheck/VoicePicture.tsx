/** The voice's long-term spectrum beside speech in general, and the room under it. */

import { useCallback } from "react";
import type { Outcome } from "../api/client";
import { frequencyGrid, planeOf, type Plane } from "../pictures/frequencyAxis";
import { colour, hatch, Picture } from "../ui/Picture";
import { t } from "../text/text";

type Spectrum = Outcome["spectrum"];
const RANGE_DB = 72;

export function VoicePicture({ spectrum }: { spectrum: Spectrum }) {
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const top = Math.ceil((Math.max(...spectrum.voice_db) + 6) / 12) * 12;
      const plane = planeOf(width, height, top, top - RANGE_DB);
      frequencyGrid(canvas, plane, top, top - RANGE_DB, 12);
      line(canvas, plane, spectrum, spectrum.room_db);
      canvas.lineTo(plane.x(last(spectrum)), plane.bottom);
      canvas.lineTo(plane.x(spectrum.centres_hz[0] ?? 20), plane.bottom);
      canvas.closePath();
      canvas.fillStyle = hatch(canvas);
      canvas.fill();
      for (const [levels, name, dash, thickness] of [
        [spectrum.reference_db, "quiet", [5, 4], 1.4],
        [spectrum.voice_db, "noise", [], 1.6],
        [spectrum.after_db, "voice", [], 2],
      ] as const) {
        line(canvas, plane, spectrum, levels);
        canvas.setLineDash([...dash]);
        canvas.lineWidth = thickness;
        canvas.strokeStyle = colour(name);
        canvas.stroke();
      }
      canvas.setLineDash([]);
    },
    [spectrum],
  );
  return (
    <Picture
      paint={paint}
      label={t("soundcheck.longTermSpectrumOfYour")}
      className="h-[330px] w-full"
    />
  );
}

const last = (spectrum: Spectrum) => spectrum.centres_hz.at(-1) ?? 16000;

function line(
  canvas: CanvasRenderingContext2D,
  plane: Plane,
  spectrum: Spectrum,
  levels: readonly number[],
) {
  canvas.beginPath();
  spectrum.centres_hz.forEach((hz, i) => {
    canvas.lineTo(plane.x(hz), plane.y(levels[i] ?? -120));
  });
}
