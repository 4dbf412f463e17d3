/** The voice against all the rest, by thirds of an octave, while it speaks: where it is covered, and by whom. */

import { useCallback } from "react";
import { useLive } from "../live/store";
import { colour, FIGURES_FONT, Picture } from "../ui/Picture";
import { roleColour } from "../ui/roles";
import { Choice } from "../ui/Choice";
import { Panel } from "../ui/Panel";
import { setWords, useBalanceView } from "./balanceView";
import { coveredSentence, hertz } from "./sentences";
import { t } from "../text/text";

const BOTTOM_DB = 10;
const LEAST_TOP_DB = 65;
const WIDEST = 26;

export function WordsPicture() {
  const rig = useLive((live) => live.state?.rig);
  const span = useBalanceView((view) => view.words);
  const sight = useLive((live) => live.balance?.sights[span]);
  const bands = sight?.bands ?? [];
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const shown = sight?.bands ?? [];
      if (!shown.length) return;
      const bottom = height - 34;
      const top = Math.max(LEAST_TOP_DB, ...shown.map((b) => Math.max(b.voice_db, b.rest_db) + 4));
      const y = (db: number) =>
        bottom - (Math.max(0, db - BOTTOM_DB) / (top - BOTTOM_DB)) * (bottom - 8);
      const step = width / shown.length;
      const wide = Math.min(34, step * 0.72);
      const most = Math.max(...shown.map(({ importance }) => importance));
      canvas.textAlign = "center";
      canvas.textBaseline = "top";
      shown.forEach((band, i) => {
        const middle = (i + 0.5) * step;
        const role = rig?.inputs.find(({ id }) => id === band.by)?.role ?? "other";
        canvas.globalAlpha = 0.55;
        canvas.fillStyle = colour(roleColour(role));
        const rest = y(band.rest_db);
        canvas.fillRect(middle - wide / 2, rest, wide, bottom - rest);
        canvas.globalAlpha = band.is_covered ? 0.7 : 1;
        canvas.fillStyle = colour("voice");
        const voice = y(band.voice_db);
        canvas.fillRect(middle - wide / 4, voice, wide / 2, bottom - voice);
        canvas.globalAlpha = 1;
        if (band.is_covered) {
          canvas.strokeStyle = colour("over");
          canvas.lineWidth = 1.4;
          canvas.setLineDash([3, 3]);
          const highest = Math.min(rest, voice) - 4;
          canvas.strokeRect(middle - wide / 2 - 3, highest, wide + 6, bottom - highest);
          canvas.setLineDash([]);
        }
        canvas.font = FIGURES_FONT;
        canvas.fillStyle = colour("quiet");
        canvas.fillText(hertz(band.hz), middle, bottom + 6);
        const weight = (band.importance / most) * Math.min(WIDEST, step * 0.7);
        canvas.fillStyle = colour("noise");
        canvas.fillRect(middle - weight / 2, bottom + 22, weight, 4);
      });
    },
    [rig, sight],
  );
  return (
    <Panel>
      <figcaption className="flex items-center gap-2">
        <h3 className="font-semibold">{t("balance.speechBands")}</h3>
        <span className="min-w-0 text-xs leading-tight text-quiet ">
          {t("balance.yourVoiceAmberAgainstEverything")}
        </span>
        <span className="ml-auto" />
        <Choice
          label={t("balance.averageOver")}
          value={span}
          options={["3", "10"].map((seconds) => ({ value: seconds, label: `${seconds} s` }))}
          onChange={setWords}
        />
      </figcaption>
      {bands.length ? (
        <>
          <Picture
            paint={paint}
            label={t("balance.yourVoiceAgainstEverythingElse")}
            className="mt-1 h-[170px] w-full"
          />
          <p className="text-[13px]" data-covered>
            {coveredSentence(rig, bands)}
          </p>
        </>
      ) : (
        <p className="py-6 text-center text-quiet">{sight?.text ?? t("balance.waitingForSound")}</p>
      )}
    </Panel>
  );
}
