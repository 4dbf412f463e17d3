import { stagePath, useIsVoice } from "../live/chains";
import { useLevels } from "../live/readings";
import { Panel } from "../ui/Panel";
import { Setting, useSetting } from "../ui/Setting";
import { signless } from "../units/format";
import { BeforeAfterPicture } from "./BeforeAfterPicture";
import type { PanelProps } from "./panelProps";
import { PanelLayout } from "../pictures/PanelLayout";
import { ReductionPicture } from "../pictures/ReductionPicture";
import { t } from "../text/text";

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
      <Panel className="flex-1" title={t("chain.peaksBeforeGrayAndAfter")}>
        <BeforeAfterPicture
          before={before}
          after={id}
          top={6}
          bottom={-30}
          step={6}
          mark={{ db: ceiling, label: t("chain.ceilingDb", { db: signless(ceiling, 1) }) }}
          label={t("chain.tenSecondsOfPeaksBeforeAndAfter")}
        />
        <p className="text-[13px]">
          {work
            ? t("chain.activeInShareOfYour", {
                share: work.share_percent.toFixed(0),
                db: work.deepest_db.toFixed(0),
                kind: isVoice ? "voice" : "other",
              })
            : isVoice
              ? t("chain.speakToSeeHowOften")
              : t("chain.playSomethingToSeeHowOften")}
        </p>
      </Panel>
      <ReductionPicture id={id} deepest={12} />
    </PanelLayout>
  );
}
