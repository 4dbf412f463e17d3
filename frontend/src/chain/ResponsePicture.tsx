/** Gain over frequency, with a voice's zones named: what an EQ or a high-pass does. */

import { useCallback, type ReactNode } from "react";
import { useLive } from "../live/store";
import { colour, FIGURES_FONT, Picture, TEXT_FONT } from "../ui/Picture";
import { signless } from "../units/format";
import { hertz, shareOfHz, ZONES } from "./bands";

export const MARGIN = { left: 34, right: 10, top: 8, bottom: 38 };
const MARKS_HZ = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000];

type Props = { id: string; topDb: number; bottomDb: number; label: string; children?: ReactNode };

export function ResponsePicture({ id, topDb, bottomDb, label, children }: Props) {
  const curve = useLive((live) => live.state?.curves[id]);
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const right = width - MARGIN.right;
      const bottom = height - MARGIN.bottom;
      const x = (share: number) => MARGIN.left + share * (right - MARGIN.left);
      const y = (db: number) =>
        MARGIN.top +
        ((topDb - Math.max(bottomDb, Math.min(topDb, db))) / (topDb - bottomDb)) *
          (bottom - MARGIN.top);
      canvas.lineWidth = 1;
      canvas.textBaseline = "middle";
      canvas.font = FIGURES_FONT;
      canvas.textAlign = "right";
      for (let db = topDb; db >= bottomDb; db -= 6) {
        canvas.strokeStyle = colour(db === 0 ? "quiet" : "line");
        canvas.globalAlpha = 0.6;
        canvas.beginPath();
        canvas.moveTo(MARGIN.left, Math.round(y(db)) + 0.5);
        canvas.lineTo(right, Math.round(y(db)) + 0.5);
        canvas.stroke();
        canvas.globalAlpha = 1;
        canvas.fillStyle = colour("quiet");
        canvas.fillText(signless(db, 0), MARGIN.left - 6, y(db));
      }
      canvas.textAlign = "center";
      for (const hz of MARKS_HZ) {
        canvas.fillText(hertz(hz), x(shareOfHz(hz)), bottom + 10);
      }
      canvas.font = TEXT_FONT;
      ZONES.forEach(({ label: zone, from, to }, number) => {
        const start = x(shareOfHz(from));
        const end = x(shareOfHz(to));
        canvas.fillStyle = colour("raised");
        canvas.globalAlpha = number % 2 ? 0.35 : 0.7;
        canvas.fillRect(start, bottom + 20, end - start, 16);
        canvas.globalAlpha = 1;
        canvas.fillStyle = colour("quiet");
        canvas.fillText(zone, (start + end) / 2, bottom + 29);
      });
      if (!curve) return;
      const trace = () => {
        canvas.beginPath();
        curve.forEach((db, i) => canvas.lineTo(x(i / (curve.length - 1)), y(db)));
      };
      canvas.fillStyle = colour("voice");
      canvas.globalAlpha = 0.18;
      trace();
      canvas.lineTo(right, y(0));
      canvas.lineTo(MARGIN.left, y(0));
      canvas.fill();
      canvas.globalAlpha = 1;
      canvas.strokeStyle = colour("voice");
      canvas.lineWidth = 2.2;
      trace();
      canvas.stroke();
    },
    [curve, topDb, bottomDb],
  );
  return (
    <div className="relative h-[270px] w-full">
      <Picture paint={paint} label={label} className="absolute inset-0 h-full w-full" />
      {children}
    </div>
  );
}
