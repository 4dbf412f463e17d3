import type { StageReading } from "../api/client";
import { stagePath } from "../live/chains";
import { SILENCE, useReadings } from "../live/readings";
import { Panel } from "../ui/Panel";
import { Setting } from "../ui/Setting";
import { signless } from "../units/format";
import { BeforeAfterPicture } from "./BeforeAfterPicture";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";
import { t } from "../text/text";

const SETTINGS = ["target_lufs", "range_db", "speed_db_per_s", "threshold_lufs"];

export function LevellerPanel({ id, before }: PanelProps) {
  return (
    <PanelLayout
      settings={SETTINGS.map((name) => (
        <Setting key={name} path={`${stagePath(id)}.settings.${name}`} />
      ))}
    >
      <Panel className="flex-1" title={t("chain.peaksBeforeGrayAndAfter")}>
        <BeforeAfterPicture
          before={before}
          after={id}
          top={0}
          bottom={-60}
          step={12}
          label={t("chain.tenSecondsOfPeaksBeforeAnd")}
        />
        <LevellerSentence id={id} />
      </Panel>
    </PanelLayout>
  );
}

function LevellerSentence({ id }: { id: string }) {
  const said = useReadings(({ stages }) => levellerSentence(stages[id]));
  return <p className="text-[13px]">{said}</p>;
}

function levellerSentence(reading: StageReading | undefined): string {
  const loudness = reading?.loudness_lufs;
  if (!reading || typeof loudness !== "number" || loudness <= SILENCE) {
    return t("chain.waitingForSpeech");
  }
  const gain = reading.gain_db ?? 0;
  return t("chain.yourSpeechIsAtLoudness", {
    db: Math.abs(gain).toFixed(1),
    direction: gain < 0 ? "down" : "up",
    held: reading.is_holding ? "yes" : "no",
    loudness: signless(loudness, 1),
  });
}
