import { Fragment, useCallback } from "react";
import { stagePath, useIsVoice } from "../live/chains";
import { readings, useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { colour, FIGURES_FONT, Picture } from "../ui/Picture";
import { Setting, useSetting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { signless } from "../units/format";
import { areaOf, levelGrid, yIn } from "../ui/axes";
import type { PanelProps } from "./panelProps";
import { Panel } from "../ui/Panel";
import { PanelLayout } from "../pictures/PanelLayout";
import { ReductionPicture } from "../pictures/ReductionPicture";
import { t } from "../text/text";

const SETTINGS = [
  "threshold_dbfs",
  "ratio",
  "knee_db",
  "attack_ms",
  "release_ms",
  "makeup_gain_db",
  "mix_percent",
  "side_chain_high_pass_hz",
];
const TOP = 0;
const BOTTOM = -60;

export function CompressorPanel({ id }: PanelProps) {
  const curve = useLive((live) => live.state?.curves[id]);
  const threshold = Number(useSetting(`${stagePath(id)}.settings.threshold_dbfs`)?.value ?? 0);

  const isAutomatic = useSetting(`${stagePath(id)}.settings.is_makeup_automatic`)?.value === true;
  const automatic = <Toggle path={`${stagePath(id)}.settings.is_makeup_automatic`} />;
  const isVoice = useIsVoice(id);
  const effort = useLevels((levels) => levels?.efforts[id]);

  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      if (!curve) return;
      const area = areaOf(width, height);
      levelGrid(canvas, area, TOP, BOTTOM, 12);
      const x = (db: number) =>
        area.left + ((db - BOTTOM) / (TOP - BOTTOM)) * (area.right - area.left);
      const y = (db: number) => yIn(area, db, TOP, BOTTOM);
      canvas.font = FIGURES_FONT;
      canvas.textAlign = "center";
      canvas.textBaseline = "top";
      canvas.fillStyle = colour("quiet");
      for (let db = BOTTOM + 12; db <= TOP; db += 12) {
        canvas.fillText(signless(db, 0), Math.min(x(db), area.right - 8), area.bottom + 6);
      }
      const stroke = (tone: string, width: number, dash: number[]) => {
        canvas.strokeStyle = colour(tone);
        canvas.lineWidth = width;
        canvas.setLineDash(dash);
        canvas.stroke();
        canvas.setLineDash([]);
      };
      canvas.beginPath();
      canvas.moveTo(x(BOTTOM), y(BOTTOM));
      canvas.lineTo(x(TOP), y(TOP));
      stroke("line", 1, [3, 3]);
      canvas.beginPath();
      canvas.moveTo(x(threshold), area.top);
      canvas.lineTo(x(threshold), area.bottom);
      stroke("text", 1.2, [5, 4]);
      // The curve comes from the server: inputs from -60 dBFS on, one each dB.
      canvas.beginPath();
      curve.forEach((out, i) => canvas.lineTo(x(BOTTOM + i), y(out)));
      stroke("voice", 2.5, []);
      const level = readings.isStale() ? undefined : readings.stages[id]?.level_dbfs;
      if (typeof level === "number") {
        // In a pause it rests at the lower end.
        const shown = Math.max(level, BOTTOM);
        const place = Math.min(curve.length - 1.001, shown - BOTTOM);
        const low = curve[Math.floor(place)] ?? BOTTOM;
        const high = curve[Math.floor(place) + 1] ?? low;
        canvas.beginPath();
        canvas.arc(x(shown), y(low + (high - low) * (place % 1)), 5, 0, 2 * Math.PI);
        canvas.fillStyle = colour("text");
        canvas.fill();
      }
    },
    [curve, id, threshold],
  );

  return (
    <PanelLayout
      settings={SETTINGS.map((name) =>
        name === "makeup_gain_db" && isAutomatic ? null : (
          <Fragment key={name}>
            {name === "makeup_gain_db" && automatic}
            <Setting path={`${stagePath(id)}.settings.${name}`} />
          </Fragment>
        ),
      ).concat(isAutomatic ? [<Fragment key="automatic">{automatic}</Fragment>] : [])}
    >
      <Panel className="w-[46%]" title={t("chain.inputLevelOutputLevelDbfs")}>
        <Picture
          follows="sound"
          paint={paint}
          label={t("chain.compressorTransferCurveWithThe")}
          className="h-[264px] w-full"
        />
        <p className="text-[13px]">
          {effort
            ? t("chain.reducesUsualSpeechPeaksKind", {
                usual: effort.usual_db.toFixed(0),
                loudest: effort.loudest_db.toFixed(0),
                kind: isVoice ? "voice" : "other",
              })
            : isVoice
              ? t("chain.speakToSeeHowHard")
              : t("chain.playSomethingToSeeHow")}
        </p>
      </Panel>
      <ReductionPicture id={id} deepest={24} />
    </PanelLayout>
  );
}
