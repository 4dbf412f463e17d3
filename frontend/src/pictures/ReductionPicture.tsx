import { useCallback } from "react";
import type { StageReading } from "../api/client";
import { readings, type Ring, useReadings } from "../live/readings";
import { colour, Picture } from "../ui/Picture";
import { areaOf, levelGrid, timeAxis, tracePath, yIn } from "../ui/axes";
import { Panel } from "../ui/Panel";
import { signless } from "../units/format";
import { t } from "../text/text";

/** Ten seconds of gain reduction, hanging from the top, and what it comes to in words. */
type PartReading = Extract<keyof StageReading, `${string}_reduction_db` | "gain_reduction_db">;
type Props = {
  id: string;
  deepest: number;
  /** What the stage says of its parts, where it has several. */
  parts?: { reading: PartReading; label: string }[];
};

export function ReductionPicture({ id, deepest, parts }: Props) {
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const area = areaOf(width, height);
      levelGrid(canvas, area, 0, deepest, deepest / 6);
      timeAxis(canvas, area);
      const reduction = readings.reduction.get(id);
      if (!reduction) return;
      tracePath(canvas, area, reduction, (db) => yIn(area, db, 0, deepest));
      canvas.strokeStyle = colour("voice");
      canvas.lineWidth = 1.6;
      canvas.stroke();
      canvas.lineTo(area.right, area.top);
      canvas.lineTo(area.left, area.top);
      canvas.closePath();
      canvas.globalAlpha = 0.3;
      canvas.fillStyle = colour("voice");
      canvas.fill();
      canvas.globalAlpha = 1;
    },
    [id, deepest],
  );
  return (
    <Panel className="flex-1" title={t("pictures.gainReductionDb")}>
      <Picture
        follows="sound"
        paint={paint}
        label={t("pictures.tenSecondsOfGainReduction")}
        className="h-[264px] w-full"
      />
      {parts ? <PartsSentence id={id} parts={parts} /> : <ReductionSentence id={id} />}
    </Panel>
  );
}

function PartsSentence({ id, parts }: { id: string; parts: NonNullable<Props["parts"]> }) {
  const said = useReadings(({ stages }) =>
    parts
      .map(({ reading: name, label }) => `${label} ${signless(-(stages[id]?.[name] ?? 0), 1)}`)
      .join("   "),
  );
  return <p className="figures text-[13px]">{said}</p>;
}

function ReductionSentence({ id }: { id: string }) {
  const said = useReadings(({ reduction }) => reductionWords(reduction.get(id)));
  return <p className="text-[13px]">{said}</p>;
}

function reductionWords(reduction: Ring | undefined): string {
  if (!reduction) return "–";
  const values = Array.from({ length: reduction.length }, (_, i) => reduction.at(i));
  const working = values.filter((value) => value > 0.5);
  const share = working.length / values.length;
  const usual = working.toSorted((a, b) => a - b)[Math.floor(working.length / 2)] ?? 0;
  return share < 0.01
    ? t("pictures.noReductionInTheLast")
    : t("pictures.activeShareOfTheTime", {
        share: Math.round(share * 100),
        usual: usual.toFixed(0),
        most: Math.max(...values).toFixed(0),
      });
}
