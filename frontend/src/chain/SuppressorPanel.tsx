import { stagePath, useStage } from "../live/chains";
import { ask } from "../live/link";
import { type ReadingsStore, useLevels, useReadings } from "../live/readings";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { Progress } from "../ui/Progress";
import { Setting } from "../ui/Setting";
import { signless } from "../units/format";
import type { PanelProps } from "./panelProps";
import { HearButton } from "../pictures/HearButton";
import { PanelLayout } from "../pictures/PanelLayout";
import { SpectrumPicture } from "../pictures/SpectrumPicture";
import { TakesPicture } from "../pictures/TakesPicture";
import { t } from "../text/text";

const SETTINGS = [
  "reduction_db",
  "knows_voices_percent",
  "emphasis_percent",
  "follow_s",
  "clatter_db",
];

export function SuppressorPanel({ id }: PanelProps) {
  return (
    <PanelLayout
      settings={
        <>
          <RoomBox id={id} />
          {SETTINGS.map((name) => (
            <Setting key={name} path={`${stagePath(id)}.settings.${name}`} />
          ))}
          <p className="pt-1.5 text-[13px]">{t("chain.hearWhatIsRemoved")}</p>
          <div className="flex flex-wrap gap-1.5 pt-1">
            <HearButton
              point={`removed:${id}`}
              label={t("chain.all")}
              title={t("chain.listenToWhatTheSuppressor")}
            />
            <HearButton
              point={`taken:${id}:room`}
              label={t("chain.byNoiseProfile")}
              title={t("chain.onlyWhatTheNoiseProfile")}
            />
            <HearButton
              point={`taken:${id}:voices`}
              label={t("chain.byVoiceModel")}
              title={t("chain.onlyWhatTheVoiceModel")}
            />
          </div>
        </>
      }
    >
      <Panel className="flex-1" title={t("chain.beforeGrayAfterAmberNoise")}>
        <SpectrumPicture
          id={id}
          label={t("chain.spectraBeforeAndAfterTheSuppressor")}
          height="h-[170px]"
        />
        <RoomSentence id={id} />
        <p className="pt-1.5 text-xs text-quiet">{t("chain.reductionByNoiseProfileGray")}</p>
        <TakesPicture id={id} label={t("chain.reductionInEachBandBy")} />
      </Panel>
    </PanelLayout>
  );
}

function RoomBox({ id }: { id: string }) {
  const slot = useStage(id)?.slot;
  const take = useLevels((levels) => levels?.room_take);
  if (slot?.stage !== "suppressor") return null;
  if (take?.stage_id === id) {
    return (
      <section aria-label={t("chain.learningTheRoom")} role="status" className="pb-3">
        <p className="pb-1.5 text-[13px] font-semibold">{t("chain.stayQuiet")}</p>
        <div className="flex items-center gap-2">
          <Progress label={t("chain.learningTheRoom")} share={take.progress} />
          <Button onClick={() => ask({ type: "learn_room", stage_id: "" })}>
            {t("chain.cancel")}
          </Button>
        </div>
      </section>
    );
  }
  const isKnown = slot.settings.room !== null;
  return (
    <section aria-label={t("chain.noiseProfile")} className="pb-3">
      <p className="pb-1.5 text-[13px]">
        {isKnown ? t("chain.noiseProfileLearnedItFollows") : t("chain.noNoiseProfileYetThe")}
      </p>
      <div className="flex gap-1.5">
        <Button
          look={isKnown ? "plain" : "main"}
          title={t("chain.stayQuietForFourSeconds")}
          onClick={() => ask({ type: "learn_room", stage_id: id })}
        >
          {isKnown ? t("chain.learnAgain") : t("chain.learnNoiseProfile")}
        </Button>
        {isKnown && (
          <Button onClick={() => ask({ type: "forget_room", stage_id: id })}>
            {t("chain.forgetProfile")}
          </Button>
        )}
      </div>
    </section>
  );
}

function RoomSentence({ id }: { id: string }) {
  const said = useReadings((now) => roomSentence(now, id));
  return <p className="text-[13px]">{said}</p>;
}

function roomSentence({ levels, stages }: ReadingsStore, id: string): string {
  const noise = stages[id]?.noise_dbfs;
  if (!levels || typeof noise !== "number") return "–";
  const after = levels.stations[id]?.noise_floor_dbfs;
  const behind =
    typeof after === "number" ? t("chain.dbDbfsInPausesAfter", { db: signless(after, 0) }) : ".";
  return t("chain.roomNoiseDbDbfsBefore", { db: signless(noise, 0), after: behind });
}
