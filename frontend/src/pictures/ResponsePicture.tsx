/** Gain over frequency, with a voice's zones named: what an EQ or a high-pass does. */

import { useCallback, type ReactNode } from "react";
import { useLive } from "../live/store";
import { colour, Picture } from "../ui/Picture";
import { hzOfShare } from "./bands";
import { frequencyGrid, planeOf } from "./frequencyAxis";
import { spectraBehind, useWatchedStage } from "./SpectrumPicture";

type Props = { id: string; topDb: number; bottomDb: number; label: string; children?: ReactNode };

export function ResponsePicture({ id, topDb, bottomDb, label, children }: Props) {
  const curve = useLive((live) => live.state?.curves[id]);
  useWatchedStage(id);
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const plane = planeOf(width, height, topDb, bottomDb);
      const right = plane.x(20000);
      spectraBehind(canvas, width, height, id);
      frequencyGrid(canvas, plane, topDb, bottomDb, 6);
      if (!curve) return;
      const trace = () => {
        canvas.beginPath();
        curve.forEach((db, i) =>
          canvas.lineTo(plane.x(hzOfShare(i / (curve.length - 1))), plane.y(db)),
        );
      };
      canvas.fillStyle = colour("voice");
      canvas.globalAlpha = 0.18;
      trace();
      canvas.lineTo(right, plane.y(0));
      canvas.lineTo(plane.x(20), plane.y(0));
      canvas.fill();
      canvas.globalAlpha = 1;
      canvas.strokeStyle = colour("voice");
      canvas.lineWidth = 2.2;
      trace();
      canvas.stroke();
    },
    [curve, id, topDb, bottomDb],
  );
  return (
    <div className="relative h-[270px] w-full">
      <Picture
        follows="sound"
        paint={paint}
        label={label}
        className="absolute inset-0 h-full w-full"
      />
      {children}
    </div>
  );
}
