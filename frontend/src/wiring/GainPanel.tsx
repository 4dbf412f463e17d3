import { useCallback } from "react";
import { setSetting } from "../live/link";
import { readings, useLevels } from "../live/readings";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { colour, FIGURES_FONT, Picture, TEXT_FONT } from "../ui/Picture";
import { signless } from "../units/format";

const LOWEST = -60;
const TOP = 22;
const BOTTOM = 52;

/** How far to turn the preamp: usual peaks against the zone in which they should land. */
export function GainPanel() {
  const advice = useLevels()?.gain;
  const mend = advice?.mend;

  const paint = useCallback((canvas: CanvasRenderingContext2D, width: number) => {
    const advice = readings.levels?.gain;
    if (!advice) return;
    const x = (db: number) => 14 + ((Math.max(LOWEST, db) - LOWEST) / -LOWEST) * (width - 28);
    canvas.fillStyle = colour("raised");
    canvas.fillRect(x(LOWEST), TOP, x(0) - x(LOWEST), BOTTOM - TOP);
    canvas.fillStyle = colour("voice");
    canvas.globalAlpha = 0.3;
    const low = x(advice.landing_low_dbfs);
    const high = x(advice.landing_high_dbfs);
    canvas.fillRect(low, TOP, high - low, BOTTOM - TOP);
    canvas.globalAlpha = 1;
    canvas.font = TEXT_FONT;
    canvas.textAlign = "center";
    canvas.textBaseline = "bottom";
    canvas.fillStyle = colour("voice-strong");
    canvas.fillText("land here", (low + high) / 2, TOP - 4);
    canvas.fillStyle = colour("quiet");
    canvas.textAlign = "left";
    canvas.fillText("a shout", x(advice.loudest_dbfs) - 24, TOP - 4);
    canvas.setLineDash([4, 3]);
    canvas.strokeStyle = colour("quiet");
    canvas.beginPath();
    canvas.moveTo(x(advice.loudest_dbfs), TOP);
    canvas.lineTo(x(advice.loudest_dbfs), BOTTOM);
    canvas.stroke();
    canvas.setLineDash([]);
    canvas.font = FIGURES_FONT;
    canvas.textAlign = "center";
    canvas.textBaseline = "top";
    for (let db = LOWEST; db <= 0; db += 12) canvas.fillText(signless(db, 0), x(db), BOTTOM + 5);
    if (advice.usual_peaks_dbfs !== null) {
      const usual = x(Math.min(0, advice.usual_peaks_dbfs));
      canvas.fillStyle = colour(advice.is_clipping ? "over" : "voice");
      canvas.fillRect(usual - 2, TOP - 2, 4, BOTTOM - TOP + 4);
    }
    const live = readings.livePeak("microphone");
    if (live > LOWEST) {
      canvas.fillStyle = colour("text");
      canvas.fillRect(x(live) - 1, TOP + 8, 2, BOTTOM - TOP - 16);
    }
  }, []);

  return (
    <Panel>
      <h3 className="font-semibold">Microphone gain</h3>
      <Picture
        paint={paint}
        label="Usual peaks at the microphone against the zone in which they should land"
        className="mt-1 h-[70px] w-full"
      />
      <div className="flex items-center gap-3 text-[13px]">
        <p className={advice?.is_clipping ? "text-over-strong" : ""}>
          {advice?.is_clipping && "▲ "}
          {advice?.text ?? "–"}
        </p>
        {mend && (
          <Button
            look="main"
            className="ml-auto py-1!"
            onClick={() => setSetting(mend.path, mend.value)}
          >
            {mend.label}
          </Button>
        )}
      </div>
    </Panel>
  );
}
