import { panelId, rowId } from "./InputPanel";
import { FEED_LABELS } from "../api/facts.gen";
import type { FeedName, InputSettings } from "../api/client";
import { useIsTold, useLevels, useReadings } from "../live/readings";
import { useLive } from "../live/store";
import { FEEDS } from "../live/reach";
import { LevelBar } from "../ui/LevelBar";
import { roleColour, roleText } from "../ui/roles";
import { levelWords, signless } from "../units/format";
import { openInput, useView } from "../view";
import { SendCell } from "./SendCell";
import { deviceTrouble } from "./deviceTrouble";
import { t } from "../text/text";

const CHANNEL_WORDS: Record<InputSettings["channels"], string> = {
  left: t("wiring.leftChannel"),
  right: t("wiring.rightChannel"),
  sum: t("wiring.bothChannelsAsMono"),
  stereo: t("wiring.stereo"),
};

/** Who hears what, as a table: a row for each input, a column for each listener. */
export function SendTable() {
  const rig = useLive((live) => live.state?.rig);
  if (!rig) return null;
  if (!rig.inputs.length) {
    return <p className="rounded-lg bg-panel p-6 text-quiet">{t("wiring.noInputsYetAddOne")}</p>;
  }
  return (
    <table className="w-full border-separate border-spacing-y-1.5">
      <caption className="sr-only">{t("wiring.levelOfEachInputFor")}</caption>
      <thead>
        <tr className="text-left text-xs text-quiet">
          <th scope="col" className="pl-3.5 font-normal">
            {t("wiring.input")}
          </th>
          <th scope="col" className="font-normal">
            {t("wiring.deviceLower")}
          </th>
          <th scope="col" className="font-normal">
            {t("wiring.level")}
          </th>
          {FEEDS.map((feed) => (
            <th key={feed} scope="col" className="w-[92px] text-[13px] text-text">
              {FEED_LABELS[feed]}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rig.inputs.map((input) => (
          <Row key={input.id} input={input} isChained={input.id === rig.chained} />
        ))}
      </tbody>
    </table>
  );
}

/** How many stages of its chain are at work, in words. */
function stagesOf(input: InputSettings): string {
  const count = input.chain.filter(({ is_bypassed }) => !is_bypassed).length;
  return count === 0 ? "plain" : t("wiring.stageCount", { count });
}

function Row({ input, isChained }: { input: InputSettings; isChained: boolean }) {
  const isOpen = useView((view) => view.inputId === input.id);
  const device = useLive((live) => live.state?.devices.find(({ id }) => id === input.device));
  return (
    <tr className={isOpen ? "*:bg-raised" : "*:bg-panel"}>
      <th
        scope="row"
        className="rounded-l-lg border-l-4 p-0 text-left font-normal"
        style={{ borderColor: `var(--${roleColour(input.role)})` }}
      >
        <button
          type="button"
          id={rowId(input.id)}
          aria-expanded={isOpen}
          onClick={() => {
            openInput(isOpen ? null : input.id);
            // What it opens stands far behind in the page.
            if (!isOpen) requestAnimationFrame(() => document.getElementById(panelId)?.focus());
          }}
          className="block w-full py-2 pl-2.5 text-left hover:underline"
        >
          <span
            className={`block max-w-32 truncate text-[15px] leading-tight font-semibold ${input.is_muted ? "line-through" : ""}`}
            style={{ color: roleText(input.role) }}
          >
            {input.name}
          </span>
          <span className="block text-xs text-quiet">
            {isChained
              ? t("wiring.mainVoiceLower")
              : input.is_private
                ? t("wiring.private")
                : stagesOf(input)}
          </span>
          <span className="sr-only">{t("wiring.nameRoleDeviceAndChannels")}</span>
        </button>
      </th>
      <td className="py-2 text-[13px]">
        <span
          className="block max-w-40 truncate leading-tight"
          title={[device?.label, input.device && CHANNEL_WORDS[input.channels]]
            .filter(Boolean)
            .join(", ")}
        >
          {device?.label ?? t("wiring.noDevice")}
          {input.device && <span className="text-quiet">, {CHANNEL_WORDS[input.channels]}</span>}
        </span>
        <DeviceLine device={input.device} />
      </td>
      <td className="w-[92px] py-2 pr-3">
        <Level input={input} isChained={isChained} />
      </td>
      {FEEDS.map((feed, number) => (
        <td key={feed} className={`py-1.5 pr-1.5 ${number === 3 ? "rounded-r-lg" : ""}`}>
          <SendCell input={input} feed={feed as FeedName} />
        </td>
      ))}
    </tr>
  );
}

function Level({ input, isChained }: { input: InputSettings; isChained: boolean }) {
  const peak = useReadings((now) =>
    isChained ? now.livePeak("microphone") : now.inputPeak(input.id),
  );
  const isTold = useIsTold();
  return (
    <>
      <LevelBar
        dbfs={peak}
        colour={`var(--${roleColour(input.role)})`}
        label={t("wiring.levelOfName", { name: input.name })}
      />
      <span className="figures block pt-1 text-xs text-quiet">
        {levelWords(isTold ? peak : undefined, 0)}
      </span>
    </>
  );
}

/** Rate and clock, or what is wrong with the device. */
function DeviceLine({ device }: { device: string }) {
  const status = useLevels((levels) => levels?.devices[device]);
  const isTold = useIsTold();
  if (!device) return <span className="text-xs text-quiet">{t("wiring.chooseOne")}</span>;
  if (!isTold) return <span className="text-xs text-quiet">–</span>;
  if (!status)
    return <span className="text-xs text-over-strong">{t("wiring.notConnectedMarked")}</span>;
  const trouble = deviceTrouble(status.state);
  if (trouble) return <span className="text-xs text-over-strong">▲ {trouble}</span>;
  const rate = status.counted_rate_hz ?? status.rate_hz;
  const isResampled = rate !== 48000;
  return (
    <span className={`figures text-xs ${isResampled ? "text-voice-strong" : "text-quiet"}`}>
      {isResampled ? `${rate / 1000} → 48 kHz` : "48 kHz"} {signless(status.clock_ppm, 0)} ppm
    </span>
  );
}
