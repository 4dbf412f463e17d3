/** Where everything leaves: each output with its device, level, delay and what is measured there; and the programs of this
 * computer, whose sound can be taken and which can be handed a microphone. */

import { Trash2, X } from "lucide-react";
import { useState } from "react";
import { FEED_LABELS } from "../api/facts.gen";
import type { OutputSettings, OutputStatus } from "../api/client";
import { ask, setSetting } from "../live/link";
import { SILENCE, useIsTold, useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { FEEDS } from "../live/reach";
import { AddMenu } from "../ui/AddMenu";
import { Button } from "../ui/Button";
import { IconButton } from "../ui/IconButton";
import { LevelBar } from "../ui/LevelBar";
import { Panel } from "../ui/Panel";
import { roleColour } from "../ui/roles";
import { Select } from "../ui/Select";
import { Setting } from "../ui/Setting";
import { Toggle } from "../ui/Toggle";
import { levelWords, signless } from "../units/format";
import { FindingCards } from "./FindingCards";
import { leavesSentence, NO_DEVICE, sourceLabel, VIRTUAL } from "./outputs";
import { Programs } from "./Programs";
import { t } from "../text/text";

const NONE: never[] = [];

export function OutputsView() {
  const rig = useLive((live) => live.state?.rig);
  const hasServer = useLive((live) => Boolean(live.state?.computer.server));
  const everyFinding = useLevels((levels) => levels?.findings) ?? NONE;
  const [open, setOpen] = useState<string | null>(null);
  if (!rig) return null;
  const chosen = rig.outputs.find(({ id }) => id === open);
  const findings = everyFinding.filter(({ code }) => OUTPUT_FINDINGS.has(code));
  const hasAside = chosen || findings.length > 0 || !hasServer;
  return (
    <div className="flex flex-col gap-3.5 min-[1180px]:flex-row">
      <div className="flex min-w-0 flex-1 flex-col gap-3">
        <Panel>
          <OutputTable open={open} onOpen={setOpen} />
          <div className="mt-2 flex items-center gap-2 border-t border-line pt-2.5">
            <AddOutput onAdded={setOpen} />
            <Button
              onClick={() => ask({ type: "feed_as", feed: "viewers", other: "you" })}
              title={t("wiring.sendsYourMonitorMixTo")}
            >
              {t("wiring.sendMyMonitorMixTo")}
            </Button>
            <div className="flex-1" />
            <ClockChoice />
            <DeviceBuffer />
          </div>
        </Panel>
        <ul aria-label={t("wiring.outputs")} className="rounded-lg bg-panel px-3.5 py-1">
          {FEEDS.map((feed) => (
            <li key={feed} className="flex gap-3 border-line py-1.5 text-[13px] not-last:border-b">
              <b className="w-16">{FEED_LABELS[feed]}</b>
              <LeavesSentence source={feed} />
            </li>
          ))}
        </ul>
        <Programs />
      </div>
      <div
        className={`flex shrink-0 flex-col gap-3 ${hasAside ? "min-[1180px]:w-[290px]" : "hidden"}`}
      >
        {chosen ? (
          <OutputPanel key={chosen.id} output={chosen} onClose={() => setOpen(null)} />
        ) : (
          <>
            <FindingCards findings={findings.slice(0, 3)} />
            <NoServer />
          </>
        )}
      </div>
    </div>
  );
}

const OUTPUT_FINDINGS = new Set([
  "feed_leaves_nowhere",
  "output_gone",
  "same_device",
  "feed_taken_back",
  "virtual_not_unity",
  "nobody_listens",
  "program_played_twice",
]);

function LeavesSentence({ source }: { source: string }) {
  const state = useLive((live) => live.state);
  return <span className="min-w-0 flex-1">{state && leavesSentence(state, source)}</span>;
}

type TableProps = { open: string | null; onOpen: (id: string | null) => void };

function OutputTable({ open, onOpen }: TableProps) {
  const outputs = useLive((live) => live.state?.rig.outputs) ?? NONE;
  if (!outputs.length) {
    return <p className="p-3 text-quiet">{t("wiring.noOutputsYetSoNobody")}</p>;
  }
  return (
    <table className="w-full text-[13px]">
      <caption className="sr-only">{t("wiring.outputs")}</caption>
      <thead>
        <tr className="text-left text-xs text-quiet">
          <th scope="col" className="pb-1 pl-2 font-normal">
            {t("wiring.sourceLower")}
          </th>
          <th scope="col" className="font-normal">
            {t("wiring.destination")}
          </th>
          <th scope="col" className="font-normal">
            {t("wiring.level")}
          </th>
          <th scope="col" className="text-right font-normal">
            {t("wiring.delayLower")}
          </th>
          <th scope="col" className="text-right font-normal">
            {t("wiring.clock")}
          </th>
          <th scope="col" className="pr-2 text-right font-normal">
            {t("wiring.dropouts")}
          </th>
        </tr>
      </thead>
      <tbody>
        {outputs.map((output) => (
          <OutputRow
            key={output.id}
            output={output}
            isOpen={output.id === open}
            onOpen={() => onOpen(output.id === open ? null : output.id)}
          />
        ))}
      </tbody>
    </table>
  );
}

/** The device's name, and what is wrong there. */
function Device({ output, status }: { output: OutputSettings; status?: OutputStatus }) {
  const devices = useLive((live) => live.state?.output_devices) ?? NONE;
  const virtual = useLive((live) => live.state?.computer.virtual) ?? NONE;
  const made = virtual.find(({ key }) => key === `microphone:${output.source}`);
  const known = devices.find(({ id }) => id === output.device);
  const isVirtual = output.device === VIRTUAL;
  const label = !output.device
    ? t("wiring.noDestination")
    : isVirtual
      ? (made?.label ?? t("wiring.virtualMicrophone"))
      : (known?.label ?? output.device.replace(/^[a-z]+:/, ""));
  const isGone = output.device && (!known || (status && status.state !== "playing"));
  return (
    <>
      <span className={`block max-w-56 truncate ${output.device ? "" : "text-quiet"}`}>
        {label}
      </span>
      {isGone ? (
        <span className="block text-xs text-over-strong">
          ▲ {status?.said ? t("wiring.notPlaying") : t("wiring.notConnected")}
        </span>
      ) : (
        <span className="block text-xs text-quiet">{known?.host ?? t("wiring.chooseOne")}</span>
      )}
    </>
  );
}

type RowProps = { output: OutputSettings; isOpen: boolean; onOpen: () => void };

function OutputRow({ output, isOpen, onOpen }: RowProps) {
  const rig = useLive((live) => live.state?.rig);
  const status = useLevels((levels) => levels?.outputs[output.id]);
  const isTold = useIsTold();
  if (!rig) return null;
  const input = rig.inputs.find(({ id }) => output.source.endsWith(`:${id}`));
  const name = sourceLabel(rig, output.source);
  const peak = status?.peak_dbfs ?? SILENCE;
  return (
    <tr className={isOpen ? "*:bg-raised" : ""}>
      <th scope="row" className="rounded-l-md p-0 text-left font-normal">
        <button
          type="button"
          aria-expanded={isOpen}
          onClick={onOpen}
          className="block w-full py-1.5 pl-2 text-left hover:underline"
        >
          <span className={`font-semibold ${output.is_muted ? "line-through" : ""}`}>{name}</span>
          <span className="sr-only">{t("wiring.deviceLevelAndDelayOf")}</span>
          {output.is_muted && <span className="block text-xs text-quiet">{t("wiring.muted")}</span>}
        </button>
      </th>
      <td className="py-1 pr-2">
        <Device output={output} status={status} />
      </td>
      <td className="w-32 pr-3">
        <LevelBar
          dbfs={peak}
          colour={`var(--${input ? roleColour(input.role) : "voice"})`}
          label={t("wiring.outputLevelOfName", { name })}
          className="h-1.5"
        />
        <span className="figures block pt-0.5 text-xs text-quiet">
          {levelWords(isTold ? peak : undefined, 0)}
        </span>
      </td>
      <td className="figures text-right text-xs">
        {status?.delay_ms == null
          ? output.delay_ms
            ? `${output.delay_ms.toFixed(0)} ms`
            : "–"
          : `${status.delay_ms.toFixed(1)} ms`}
      </td>
      <td className="figures text-right text-xs">
        {status?.delay_ms == null ? "–" : `${signless(status.clock_ppm, 0)} ppm`}
      </td>
      <td
        className={`figures rounded-r-md pr-2 text-right text-xs ${status?.dropouts ? "text-over-strong" : ""}`}
      >
        {status?.dropouts ?? "–"}
        {status?.grown ? <span className="block text-quiet">{t("wiring.bufferGrew")}</span> : null}
      </td>
    </tr>
  );
}

type PanelProps = { output: OutputSettings; onClose: () => void };

function OutputPanel({ output, onClose }: PanelProps) {
  const state = useLive((live) => live.state);
  const status = useLevels((levels) => levels?.outputs[output.id]);
  if (!state) return null;
  const path = `outputs.${output.id}`;
  const name = sourceLabel(state.rig, output.source);
  const hosts = [...new Set(state.output_devices.map(({ host }) => host))];
  const groups = [
    { options: [{ value: NO_DEVICE, label: t("wiring.noDestination") }] },
    ...hosts.map((host) => ({
      label: host,
      options: state.output_devices
        .filter((one) => one.host === host)
        .map(({ id, label }) => ({ value: id, label })),
    })),
  ];
  const isKnown = state.output_devices.some(({ id }) => id === output.device);
  if (output.device && !isKnown) {
    groups[0]?.options.push({ value: output.device, label: output.device.replace(/^[a-z]+:/, "") });
  }
  const help = state.output_devices.find(({ id }) => id === output.device)?.help;
  return (
    <section
      aria-label={t("wiring.outputOfName", { name })}
      className="rounded-lg bg-panel p-3.5 text-[13px]"
    >
      <div className="flex items-center gap-1">
        <h3 className="min-w-0 flex-1 truncate text-base font-semibold">{name}</h3>
        <IconButton
          label={t("wiring.removeThisOutputOfName", { name })}
          onClick={() => {
            onClose();
            ask({ type: "remove_output", output_id: output.id });
          }}
        >
          <Trash2 size={15} />
        </IconButton>
        <IconButton label={t("wiring.close")} onClick={onClose}>
          <X size={15} />
        </IconButton>
      </div>
      <p className="mt-1 mb-1 text-quiet">{t("wiring.destinationUpper")}</p>
      <Select
        label={t("wiring.destinationUpper")}
        value={output.device || NO_DEVICE}
        groups={groups}
        onChange={(device) => setSetting(`${path}.device`, device === NO_DEVICE ? "" : device)}
        className="w-full"
      />
      {help && <p className="mt-1 text-xs text-quiet">{help}</p>}
      {status && status.state !== "playing" && status.said && (
        <p className="mt-2 text-over-strong">▲ {status.said}</p>
      )}
      <div className="mt-3">
        <Toggle path={`${path}.is_muted`} />
        <Setting path={`${path}.level_db`} />
        <Setting path={`${path}.delay_ms`} />
      </div>
      {status?.delay_ms != null && (
        <dl className="mt-2 grid grid-cols-[1fr_auto] gap-y-0.5 border-t border-line pt-2 text-xs">
          <dt className="text-quiet">{t("wiring.goshawkToSoundInThe")}</dt>
          <dd className="figures text-right">{status.delay_ms.toFixed(1)} ms</dd>
          <dt className="text-quiet">{t("wiring.reportedByTheDevice")}</dt>
          <dd className="figures text-right">{(status.device_ms ?? 0).toFixed(1)} ms</dd>
          <dt className="text-quiet">{t("wiring.clockDifferenceToGoshawk")}</dt>
          <dd className="figures text-right">{signless(status.clock_ppm, 0)} ppm</dd>
        </dl>
      )}
    </section>
  );
}

/** The output that comes next is opened: it goes nowhere yet. */
function AddOutput({ onAdded }: { onAdded: (id: string) => void }) {
  const rig = useLive((live) => live.state?.rig);
  if (!rig) return null;
  const sources = [...FEEDS, ...rig.inputs.flatMap(({ id }) => [`input:${id}`, `came:${id}`])];
  const add = (source: string) => {
    const before = new Set(rig.outputs.map(({ id }) => id));
    const stop = useLive.subscribe(({ state }) => {
      const fresh = state?.rig.outputs.find(({ id }) => !before.has(id));
      if (!fresh) return;
      onAdded(fresh.id);
      stop();
    });
    window.setTimeout(stop, 5000);
    ask({ type: "add_output", source, device: "" });
  };
  return (
    <AddMenu
      label={t("wiring.addOutput")}
      items={sources.map((source) => ({ value: source, label: sourceLabel(rig, source) }))}
      onChoose={add}
    />
  );
}

/** By whose clock Goshawk runs: one of the devices that are in use, or the system's. */
function ClockChoice() {
  const state = useLive((live) => live.state);
  if (!state) return null;
  const { rig, devices, output_devices } = state;
  const used = new Set([
    ...rig.inputs.map(({ device }) => device),
    ...rig.outputs.map(({ device }) => device),
  ]);
  const options = [...devices, ...output_devices]
    .filter(({ id }) => /^(server|card):/.test(id) && used.has(id))
    .map(({ id, label }) => ({ value: id, label }));
  if (!options.length && !rig.clock_device) return null;
  return (
    <div className="flex items-center gap-2 text-[13px]">
      <span className="text-quiet">{t("wiring.clock")}</span>
      <Select
        label={t("wiring.masterClock")}
        value={rig.clock_device || NO_DEVICE}
        groups={[{ options: [{ value: NO_DEVICE, label: t("wiring.systemClock") }, ...options] }]}
        onChange={(id) => setSetting("clock_device", id === NO_DEVICE ? "" : id)}
        className="w-40"
      />
    </div>
  );
}

/** How much lies between Goshawk and the computer's devices; asked for where one is used. */
function DeviceBuffer() {
  const isUsed = useLive((live) =>
    live.state?.rig.outputs.some(({ device }) => device === VIRTUAL || device.includes(":")),
  );
  return isUsed ? (
    <div className="w-56">
      <Setting path="device_buffer_ms" />
    </div>
  ) : null;
}

/** Where there is no sound server: which kind of virtual device is needed. */
function NoServer() {
  const computer = useLive((live) => live.state?.computer);
  if (!computer || computer.server) return null;
  return (
    <Panel>
      <h3 className="text-[13px] font-semibold">{t("wiring.noVirtualMicrophoneOnThis")}</h3>
      <p className="mt-1 text-xs text-quiet">
        {t("wiring.troubleInstallAVirtualAudio", {
          trouble: computer.server_trouble || t("wiring.lookingForASoundServer"),
        })}
      </p>
    </Panel>
  );
}
