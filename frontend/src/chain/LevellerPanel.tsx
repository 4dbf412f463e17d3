import type { StageReading } from "../api/client";
import { stagePath } from "../live/chains";
import { SILENCE, useReadings } from "../live/readings";
import { Panel } from "../ui/Panel";
import { Setting } from "../ui/Setting";
import { signless } from "../units/format";
import { BeforeAfterPicture } from "./BeforeAfterPicture";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";

const SETTINGS = ["target_lufs", "range_db", "speed_db_per_s", "threshold_lufs"];

export function LevellerPanel({ id, before }: PanelProps) {
  return (
    <PanelLayout
      settings={SETTINGS.map((name) => (
        <Setting key={name} path={`${stagePath(id)}.settings.${name}`} />
      ))}
    >
      <Panel className="flex-1" title="Peaks before (grey) and after (amber), dBFS">
        <BeforeAfterPicture
          before={before}
          after={id}
          top={0}
          bottom={-60}
          step={12}
          label="Ten seconds of peaks before and after the leveller"
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
    return "It waits for speech.";
  }
  const gain = reading.gain_db ?? 0;
  return `Your speech stands at ${signless(loudness, 1)} LUFS; it is ${
    gain < 0 ? "lowered" : "raised"
  } by ${Math.abs(gain).toFixed(1)} dB${reading.is_holding ? ", and held in the pause" : ""}.`;
}
