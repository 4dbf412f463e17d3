import type { DeviceInfo } from "../api/client";
import { useLevels } from "../live/readings";
import { useLive } from "../live/store";
import { LevelBar } from "../ui/LevelBar";
import { Panel } from "../ui/Panel";
import { decibels, signless } from "../units/format";
import { openDevice, useView } from "../view";
import { useDevicesWatched } from "./DevicePicker";
import { DeviceKnobs } from "./DeviceKnobs";
import { FaultPanel } from "./FaultPanel";
import { deviceTrouble } from "./deviceTrouble";
import { t } from "../text/text";

/** Every device with its rate, clock and buffer; the chosen one's own knobs beside it. */
export function DevicesView() {
  useDevicesWatched();
  const devices = useLive((live) => live.state?.devices) ?? [];
  const chosen = useView((view) => view.deviceId);
  const device = devices.find(({ id }) => id === chosen) ?? devices[0];
  return (
    <div className="flex gap-3.5">
      <Panel className="flex-1">
        <table className="w-full text-[13px]">
          <caption className="sr-only">{t("wiring.devicesWithRateClockAnd")}</caption>
          <thead>
            <tr className="text-left text-xs text-quiet">
              <th scope="col" className="pb-1 pl-2 font-normal">
                {t("wiring.deviceLower")}
              </th>
              <th scope="col" className="font-normal">
                {t("wiring.level")}
              </th>
              <th scope="col" className="font-normal">
                {t("wiring.usedBy")}
              </th>
              <th scope="col" className="text-right font-normal">
                {t("wiring.rate")}
              </th>
              <th scope="col" className="text-right font-normal">
                {t("wiring.clock")}
              </th>
              <th scope="col" className="text-right font-normal">
                {t("wiring.buffered")}
              </th>
              <th scope="col" className="pr-2 text-right font-normal">
                {t("wiring.dropouts")}
              </th>
            </tr>
          </thead>
          <tbody>
            {devices.map((info) => (
              <DeviceRow key={info.id} info={info} isChosen={info.id === device?.id} />
            ))}
          </tbody>
        </table>
        <p className="mt-2 border-t border-line pt-2 text-xs text-quiet">
          {t("wiring.goshawkRunsAt48Khz")}
        </p>
        <Encoder />
      </Panel>
      <div className="flex w-[330px] shrink-0 flex-col gap-3">
        {device && (
          <>
            <Panel>
              <h3 className="font-semibold">{device.label}</h3>
              <p className="mb-2 text-xs text-quiet">{device.help}</p>
              <DeviceKnobs device={device} />
            </Panel>
            {device.can_fail && <FaultPanel key={device.id} device={device} />}
          </>
        )}
      </div>
    </div>
  );
}

/** The far end of the Viewers feed: what the encoder measures of it. */
function Encoder() {
  const encoder = useLevels((levels) => levels?.encoder);
  const loudness = useLevels((levels) => levels?.short_term_lufs);
  const truePeak = useLevels((levels) => levels?.true_peak_dbtp);
  const delay = useLevels((levels) => levels?.delay_ms.viewers);
  if (!encoder) return null;
  const { peak_dbfs, gaps, is_silent } = encoder;
  const facts = [
    {
      name: t("wiring.peaksLower"),
      value: is_silent ? t("wiring.silenceLower") : `${signless(peak_dbfs, 1)} dBFS`,
    },
    { name: t("wiring.loudness3S"), value: `${decibels(loudness)} LUFS` },
    { name: t("wiring.truePeak"), value: `${decibels(truePeak)} dBTP` },
    { name: t("wiring.gaps"), value: String(gaps), isOff: gaps > 0 },
    { name: t("wiring.delayLower"), value: `${(delay ?? 0).toFixed(1)} ms` },
  ];
  return (
    <section aria-label={t("wiring.broadcastEncoder")} className="mt-4">
      <h3 className="text-[13px] font-semibold">{t("wiring.inputOfTheBroadcastEncoder")}</h3>
      <dl className="mt-1 flex flex-wrap gap-x-6 text-[13px]">
        {facts.map(({ name, value, isOff }) => (
          <div key={name} className="flex gap-1.5">
            <dt className="text-quiet">{name}</dt>
            <dd className={`figures ${isOff ? "text-voice-strong" : ""}`}>{value}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

type RowProps = { info: DeviceInfo; isChosen: boolean };

function DeviceRow({ info, isChosen }: RowProps) {
  const status = useLevels((levels) => levels?.devices[info.id]);
  const inputs = useLive((live) => live.state?.rig.inputs) ?? [];
  const users = inputs.filter(({ device }) => device === info.id).map(({ name }) => name);
  const isGone = status && status.state !== "playing";
  const rate = status?.counted_rate_hz ?? status?.rate_hz;
  return (
    <tr className={isChosen ? "*:bg-raised" : ""}>
      <th scope="row" className="rounded-l-md p-0 text-left font-normal">
        <button
          type="button"
          aria-pressed={isChosen}
          onClick={() => openDevice(info.id)}
          className="block w-full py-1.5 pl-2 text-left hover:underline"
        >
          {info.label}
          {isGone && (
            <span className={`block text-xs ${users.length ? "text-over-strong" : "text-quiet"}`}>
              {users.length > 0 && "▲ "}
              {deviceTrouble(status.state)}
            </span>
          )}
        </button>
      </th>
      <td className="w-20 pr-3">
        {(status?.peaks_dbfs ?? []).slice(0, info.channels).map((peak, channel) => (
          <LevelBar
            key={channel}
            dbfs={peak}
            colour="var(--voice)"
            label={t("wiring.labelChannelChannel", { label: info.label, channel: channel + 1 })}
            className="my-0.5 h-1.5"
          />
        ))}
      </td>
      <td className="max-w-28 truncate text-quiet">{users.join(", ") || "–"}</td>
      <td
        className={`figures text-right text-xs ${!rate || rate === 48000 ? "" : "text-voice-strong"}`}
        title={
          status?.counted_rate_hz ? t("wiring.reportsRateHz", { rate: status.rate_hz }) : undefined
        }
      >
        {status?.counted_rate_hz && "▲ "}
        {rate ? `${rate / 1000} kHz` : "–"}
      </td>
      <td className="figures text-right text-xs">
        {status ? `${signless(status.clock_ppm, 0)} ppm` : "–"}
      </td>
      <td className="figures text-right text-xs">
        {status?.fill_ms ? `${status.fill_ms.toFixed(0)} ms` : "–"}
      </td>
      <td
        className={`figures rounded-r-md pr-2 text-right text-xs ${status?.recent_dropouts ? "text-over-strong" : ""}`}
      >
        {status ? status.dropouts : "–"}
      </td>
    </tr>
  );
}
