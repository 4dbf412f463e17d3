import { stagePath, useIsVoice } from "../live/chains";
import { useLevels } from "../live/readings";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import { signless } from "../units/format";
import { BeforeAfterPicture } from "./BeforeAfterPicture";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";
import { ReductionPicture } from "../pictures/ReductionPicture";

export function LimiterPanel({ id, before }: PanelProps) {
  const ceiling = Number(useSetting(`${stagePath(id)}.settings.ceiling_dbtp`)?.value ?? 0);
  const isVoice = useIsVoice(id);
  const work = useLevels((levels) => levels?.limiter_work[id]);
  return (
    <PanelLayout
      settings={
        <>
          <Setting path={`${stagePath(id)}.settings.ceiling_dbtp`} />
          <Setting path={`${stagePath(id)}.settings.release_ms`} />
        </>
      }
    >
      <Panel className="flex-1" title="Peaks before (grey) and after (amber), dBFS">
        <BeforeAfterPicture
          before={before}
          after={id}
          top={6}
          bottom={-30}
          step={6}
          mark={{ db: ceiling, label: `ceiling ${signless(ceiling, 1)}` }}
          label="Ten seconds of peaks before and after the limiter"
        />
        <p className="text-[13px]">
          {work
            ? `Touches ${work.share_percent.toFixed(0)} % of ${isVoice ? "your speech" : "what plays"}, by ${work.deepest_db.toFixed(0)} dB at most.`
            : isVoice
              ? "Speak, and it says how often it is hit."
              : "Let it play, and it says how often it is hit."}
        </p>
      </Panel>
      <ReductionPicture id={id} deepest={12} />
    </PanelLayout>
  );
}
