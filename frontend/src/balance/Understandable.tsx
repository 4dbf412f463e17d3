/** The intelligibility index as one figure, and how it went. */

import { useCallback } from "react";
import { useLive } from "../live/store";
import { Panel } from "../ui/Panel";
import { colour, Picture } from "../ui/Picture";
import { t } from "../text/text";

const HISTORY_S = 600;

const NONE: never[] = [];

export function Understandable() {
  const sight = useLive((live) => live.balance?.sights["10"]);
  const indices = useLive((live) => live.balance?.indices ?? NONE);
  const goodFrom = sight?.good_from;
  const paint = useCallback(
    (canvas: CanvasRenderingContext2D, width: number, height: number) => {
      const newest = indices.at(-1)?.number ?? 0;
      const y = (sii: number) => height - 2 - sii * (height - 4);
      if (goodFrom !== undefined) {
        canvas.strokeStyle = colour("line");
        canvas.setLineDash([4, 4]);
        canvas.beginPath();
        canvas.moveTo(0, y(goodFrom));
        canvas.lineTo(width, y(goodFrom));
        canvas.stroke();
        canvas.setLineDash([]);
      }
      canvas.strokeStyle = colour("voice");
      canvas.lineWidth = 1.8;
      canvas.beginPath();
      let last = -Infinity;
      for (const { number, sii } of indices) {
        const x = width - 2 - ((newest - number) / HISTORY_S) * (width - 4);
        if (number - last > 15) canvas.moveTo(x, y(sii));
        canvas.lineTo(x, y(sii));
        last = number;
      }
      canvas.stroke();
    },
    [indices, goodFrom],
  );
  const sii = sight?.sii ?? null;
  return (
    <Panel>
      <section aria-label={t("balance.intelligibility")}>
        <h3 className="font-semibold" title={t("balance.speechIntelligibilityIndexAnsiS3")}>
          {t("balance.intelligibility")}
        </h3>
        <div className="mt-1 flex items-center gap-3">
          <p
            className="figures text-[40px] leading-none font-semibold text-voice-strong"
            data-index
          >
            {sii === null ? "–" : sii.toFixed(2)}
          </p>
          <p className="text-[13px]">
            {sight?.text ?? t("balance.waitingForSound")}
            {sight?.sii_in_loud_moments != null && (
              <span className="block text-xs text-quiet">
                {t("balance.inLoudMoments")}{" "}
                <span className="figures">{sight.sii_in_loud_moments.toFixed(2)}</span>
              </span>
            )}
          </p>
        </div>
        <div aria-hidden className="relative mt-2 h-2 rounded-full bg-line">
          <span
            className="absolute inset-y-0 left-0 rounded-full bg-voice"
            style={{ width: `${(sii ?? 0) * 100}%` }}
          />
          {goodFrom !== undefined && (
            <span
              className="absolute -inset-y-1 w-0.5 bg-text"
              style={{ left: `${goodFrom * 100}%` }}
            />
          )}
        </div>
        {goodFrom !== undefined && (
          <p className="mt-1 text-right text-xs text-quiet">
            {t("balance.goodGoodfromOrMore", { goodFrom })}
          </p>
        )}
        {indices.length > 2 && (
          <Picture
            paint={paint}
            label={t("balance.intelligibilityOverTheLastTen")}
            className="mt-1 h-9 w-full"
          />
        )}
      </section>
    </Panel>
  );
}
