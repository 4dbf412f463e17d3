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
              title="Sends a click out: the voice passes dry for a moment"
              onClick={() => ask({ type: "measure_insert", stage_id: id })}
            >
              Measure the way
            </Button>
          </div>
          <Setting path={`${stagePath(id)}.settings.way_ms`} />
          <Setting path={`${stagePath(id)}.settings.return_db`} />
        </>
      }
    >
      <Panel className="flex-1" title="Peaks before (grey) and after (amber), dBFS">
        <BeforeAfterPicture
          before={before}
          after={id}
          top={0}
          bottom={-72}
          step={12}
          mark={{ db: -0.3, label: "full scale" }}
          label="Ten seconds of peaks before and after the insert"
        />
        <p role="status" className={`text-[13px] ${isLed && !isBack ? "text-over-strong" : ""}`}>
          {isBack
            ? `Returns after ${way_ms.toFixed(1)} ms, peaking at ${peak} dBFS.`
            : isLed
              ? "▲ Nothing comes back: the sound passes here as it is, as late as it would be."
              : "Choose where it sends to and comes back from. Until then the sound passes as it is."}
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
  const nowhere = { value: NOWHERE, label: "not chosen" };
  const unit = { value: insert_unit.id, label: insert_unit.label };
  const real = ({ host }: { host: string }) => host !== insert_unit.host;
  const outs = output_devices.filter(real).map(({ id: value, label }) => ({ value, label }));
  const ins = devices
    .filter((one) => one.id.includes(":") && !one.id.startsWith("loudspeakers:"))
    .map(({ id: value, label }) => ({ value, label }));
  if (computer.server) ins.unshift({ value: `loudspeakers:${id}`, label: "Virtual loudspeakers" });
  const keep = (options: { value: string; label: string }[], chosen: string) =>
    !chosen || options.some(({ value }) => value === chosen)
      ? options
      : [...options, { value: chosen, label: `${chosen} (not there)` }];
  const set = (name: string, value: string) =>
    setSetting(`${stagePath(id)}.settings.${name}`, value === NOWHERE ? "" : value);
  return (
    <div className="flex flex-col gap-2 text-[13px]">
      <div>
        <p className="mb-1 text-quiet">Send</p>
        <Select
          label="Send"
          value={sendsTo || NOWHERE}
          groups={[{ options: keep([nowhere, unit, ...outs], sendsTo) }]}
          onChange={(value) => set("sends_to", value)}
          className="w-full"
        />
      </div>
      <div>
        <p className="mb-1 text-quiet">Return</p>
        <Select
          label="Return"
          value={comesFrom || NOWHERE}
          groups={[{ options: keep([nowhere, unit, ...ins], comesFrom) }]}
          onChange={(value) => set("comes_from", value)}
          className="w-full"
        />
      </div>
    </div>
  );
}
