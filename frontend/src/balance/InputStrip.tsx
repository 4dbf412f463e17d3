/** One input: how it stands against its target, its fader, and what brings it there. */

import { HOLD_RANGE_DB } from "../api/facts.gen";
import type { InputSettings } from "../api/client";
import { ask, setSetting } from "../live/link";
import { useLevels, useReadings } from "../live/readings";
import { Button } from "../ui/Button";
import { Setting } from "../ui/Setting";
import { roleColour, roleText } from "../ui/roles";
import { decibels, signless } from "../units/format";
import { useBalanceView } from "./balanceView";
import { t } from "../text/text";

const LOWEST_DBFS = -48;
const across = (dbfs: number) => `${Math.max(0, Math.min(1, 1 - dbfs / LOWEST_DBFS)) * 100}%`;

type Props = { input: InputSettings; isChained: boolean; isOpen: boolean; onOpen: () => void };

export function InputStrip({ input, isChained, isOpen, onOpen }: Props) {
  const seconds = useBalanceView((view) => view.window);
  const { id, name, role, is_muted: isMuted } = input;
  const window = useLevels((levels) => levels?.balance.windows[String(seconds)]?.[id]);
  const standing = window?.standing;
  const isOff = standing?.verdict === "too loud" || standing?.verdict === "too quiet";
  const held = useLevels((levels) => levels?.balance.held_db[id]);
  return (
    <section
      aria-label={name}
      className={`flex min-w-0 flex-col rounded-lg border-l-4 bg-panel p-2.5 ${isOpen ? "outline-2 outline-line" : ""}`}
      style={{ borderColor: `var(--${roleColour(role)})` }}
    >
      <div className="flex items-center justify-between gap-2">
        <h4
          className={`truncate font-semibold ${isMuted ? "line-through" : ""}`}
          style={{ color: roleText(role) }}
        >
          {name}
        </h4>
        <Button
          look={isMuted ? "main" : "plain"}
          aria-pressed={isMuted}
          aria-label={t("balance.muteName", { name })}
          className="px-3! py-0.5!"
          onClick={() => setSetting(`inputs.${id}.is_muted`, !isMuted)}
        >
          {isMuted ? t("balance.muted") : t("balance.mute")}
        </Button>
      </div>
      <p
        className={`text-[13px] ${isOff ? "font-semibold text-voice-strong" : "text-quiet"}`}
        data-standing={id}
      >
        {isOff && "▲ "}
        {standing?.text ?? t("balance.notHeardByViewers")}
        {input.is_held && held !== undefined && (
          <span className="figures font-normal text-quiet">
            {" "}
            {t("balance.holdHeld", { held: signed(held) })}
          </span>
        )}
      </p>
      <Gauge
        role={role}
        meter={`viewers/${id}`}
        peaks={window?.peaks_dbfs ?? null}
        low={window?.body_low_dbfs ?? null}
        high={window?.body_high_dbfs ?? null}
        target={standing?.target_peaks_dbfs ?? null}
        tolerance={standing?.tolerance_db ?? 0}
      />
      <p className="mb-0.5 flex justify-between gap-1 text-xs whitespace-nowrap text-quiet">
        <span className="figures" title={t("balance.peaksDbfs")}>
          {decibels(window?.peaks_dbfs)}
        </span>
        {!isChained && (
          <span title={t("balance.howFarYourSpeechPeaks")}>
            <b className="figures text-text">{decibels(window?.clearance_db)}</b>{" "}
            {t("balance.dbTargetWanted", { wanted: decibels(standing?.clearance_wanted_db, 0) })}
          </span>
        )}
      </p>
      <Setting
        path={`inputs.${id}.fader_db`}
        colour={`var(--${roleColour(role)})`}
        label={t("balance.nameFader", { name })}
        shortLabel={t("balance.fader")}
      />
      <div className="mt-auto flex flex-wrap gap-1 pt-1.5">
        <Button
          className="px-2! py-1! text-xs!"
          disabled={!standing}
          aria-label={t("balance.matchNameToItsTarget", { name })}
          title={t("balance.setsTheTrimFromThe")}
          onClick={() => ask({ type: "bring_to_target", input_id: id })}
        >
          {t("balance.matchTarget")}
        </Button>
        {!isChained && (
          <>
            <Button
              className="px-2! py-1! text-xs!"
              look={input.is_held ? "main" : "plain"}
              aria-pressed={input.is_held}
              aria-label={t("balance.holdNameAtTarget", { name })}
              title={t("balance.keepsTheLevelAtIts", { range: HOLD_RANGE_DB })}
              onClick={() => setSetting(`inputs.${id}.is_held`, !input.is_held)}
            >
              {t("balance.holdAtTarget")}
            </Button>
            <Button
              className="px-2! py-1! text-xs!"
              aria-expanded={isOpen}
              aria-label={t("balance.detailsOfName", { name })}
              title={t("balance.trimDuckingEq")}
              onClick={onOpen}
            >
              {t("balance.details")}
            </Button>
          </>
        )}
      </div>
    </section>
  );
}

const signed = (db: number) => `${db > 0 ? "+" : ""}${signless(db, 1)}`;

type GaugeProps = {
  role: InputSettings["role"];
  meter: string;
  peaks: number | null;
  low: number | null;
  high: number | null;
  target: number | null;
  tolerance: number;
};

/** Body and peaks on one scale, the live peak as a thin tick, the target as a bracket. */
function Gauge({ role, meter, peaks, low, high, target, tolerance }: GaugeProps) {
  const hue = `var(--${roleColour(role)})`;
  return (
    <div aria-hidden className="relative my-1 h-4 overflow-x-clip rounded bg-line/50">
      {low !== null && high !== null && (
        <span
          className="absolute inset-y-1 rounded-sm opacity-55"
          style={{ left: across(low), right: `calc(100% - ${across(high)})`, background: hue }}
        />
      )}
      {peaks !== null && (
        <span
          className="absolute inset-y-0 w-[3px] -translate-x-1/2"
          style={{ left: across(peaks), background: hue }}
        />
      )}
      <LiveTick meter={meter} />
      {target !== null && (
        <span
          className="absolute -inset-y-0.5 border-x-2 border-text"
          style={{
            left: across(target - tolerance),
            right: `calc(100% - ${across(target + tolerance)})`,
          }}
        />
      )}
    </div>
  );
}

function LiveTick({ meter }: { meter: string }) {
  const left = useReadings((now) => across(now.livePeak(meter)));
  return (
    <span
      className="absolute inset-y-1 w-full border-l border-text will-change-transform"
      style={{ transform: `translateX(${left})` }}
    />
  );
}
