import { stagePath, useStage } from "../live/chains";
import { ask, setSetting } from "../live/link";
import { SILENCE, useReadings } from "../live/readings";
import { useLive } from "../live/store";
import { PanelLayout } from "../pictures/PanelLayout";
import { Button } from "../ui/Button";
import { Panel } from "../ui/Panel";
import { Select } from "../ui/Select";
import { Setting } from "../ui/Setting";
import { signless } from "../units/format";
import { BeforeAfterPicture } from "./BeforeAfterPicture";
import type { PanelProps } from "./panelProps";
import { t } from "../text/text";

const NOWHERE = "-";

/** Where the sound goes out to, where it comes back from, and how long it is away. */
export function InsertPanel({ id, before }: PanelProps) {
  const isBack = useReadings(({ stages }) => stages[id]?.is_back === true);
  const peak = useReadings(({ stages }) => signless(stages[id]?.level_dbfs ?? SILENCE, 0));
  const slot = useStage(id)?.slot;
  if (slot?.stage !== "insert") return null;
  const { sends_to, comes_from, way_ms } = slot.settings;
  const isLed = sends_to && comes_from;
  return (
    <PanelLayout
      settings={
        <>
          <Ends id={id} sendsTo={sends_to} comesFrom={comes_from} />
          <div className="flex items-center gap-2 py-2">
            <Button
              look={isLed ? "main" : "plain"}
              disabled={!isBack}
              title={t("chain.sendsAClickThroughThe")}
              onClick={() => ask({ type: "measure_insert", stage_id: id })}
            >
              {t("chain.measureLatency")}
            </Button>
          </div>
          <Setting path={`${stagePath(id)}.settings.way_ms`} />
          <Setting path={`${stagePath(id)}.settings.return_db`} />
        </>
      }
    >
      <Panel className="flex-1" title={t("chain.peaksBeforeGrayAndAfter")}>
        <BeforeAfterPicture
          before={before}
          after={id}
          top={0}
          bottom={-72}
          step={12}
          mark={{ db: -0.3, label: t("chain.fullScale") }}
          label={t("chain.tenSecondsOfPeaksBefore")}
        />
        <p role="status" className={`text-[13px] ${isLed && !isBack ? "text-over-strong" : ""}`}>
          {isBack
            ? t("chain.returnsAfterMsMsPeaking", { ms: way_ms.toFixed(1), peak })
            : isLed
              ? t("chain.noSoundReturnsTheDry")
              : t("chain.chooseASendAndA")}
        </p>
      </Panel>
    </PanelLayout>
  );
}

type EndsProps = { id: string; sendsTo: string; comesFrom: string };

function Ends({ id, sendsTo, comesFrom }: EndsProps) {
  const state = useLive((live) => live.state);
  if (!state) return null;
  const { output_devices, devices, computer, insert_unit } = state;
  const nowhere = { value: NOWHERE, label: t("chain.notChosen") };
  const unit = { value: insert_unit.id, label: insert_unit.label };
  const real = ({ host }: { host: string }) => host !== insert_unit.host;
  const outs = output_devices.filter(real).map(({ id: value, label }) => ({ value, label }));
  const ins = devices
    .filter((one) => one.id.includes(":") && !one.id.startsWith("loudspeakers:"))
    .map(({ id: value, label }) => ({ value, label }));
  if (computer.server)
    ins.unshift({ value: `loudspeakers:${id}`, label: t("chain.virtualLoudspeakers") });
  const keep = (options: { value: string; label: string }[], chosen: string) =>
    !chosen || options.some(({ value }) => value === chosen)
      ? options
      : [...options, { value: chosen, label: t("chain.chosenNotConnected", { chosen }) }];
  const set = (name: string, value: string) =>
    setSetting(`${stagePath(id)}.settings.${name}`, value === NOWHERE ? "" : value);
  return (
    <div className="flex flex-col gap-2 text-[13px]">
      <div>
        <p className="mb-1 text-quiet">{t("chain.send")}</p>
        <Select
          label={t("chain.send")}
          value={sendsTo || NOWHERE}
          groups={[{ options: keep([nowhere, unit, ...outs], sendsTo) }]}
          onChange={(value) => set("sends_to", value)}
          className="w-full"
        />
      </div>
      <div>
        <p className="mb-1 text-quiet">{t("chain.return")}</p>
        <Select
          label={t("chain.return")}
          value={comesFrom || NOWHERE}
          groups={[{ options: keep([nowhere, unit, ...ins], comesFrom) }]}
          onChange={(value) => set("comes_from", value)}
          className="w-full"
        />
      </div>
    </div>
  );
}
