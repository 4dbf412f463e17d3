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
          aria-label={`Mute ${name}`}
          className="px-3! py-0.5!"
          onClick={() => setSetting(`inputs.${id}.is_muted`, !isMuted)}
        >
          {isMuted ? "Muted" : "Mute"}
        </Button>
      </div>
      <p
        className={`text-[13px] ${isOff ? "font-semibold text-voice-strong" : "text-quiet"}`}
        data-standing={id}
      >
        {isOff && "▲ "}
        {standing?.text ?? "not heard by viewers"}
        {input.is_held && held !== undefined && (
          <span className="figures font-normal text-quiet"> held {signed(held)}</span>
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
      <p className="figures mb-0.5 flex justify-between text-xs text-quiet">
        <span title="Peaks, dBFS">{decibels(window?.peaks_dbfs)}</span>
        {!isChained && (
          <span title="By how many dB your peaks stand above these, and how many are wanted">
            <b className="text-text">{decibels(window?.clearance_db)}</b> of{" "}
            {decibels(standing?.clearance_wanted_db, 0)} dB
          </span>
        )}
      </p>
      <Setting
        path={`inputs.${id}.fader_db`}
        colour={`var(--${roleColour(role)})`}
        label={`${name} fader`}
        shortLabel="Fader"
      />
      <div className="mt-auto flex flex-wrap gap-1 pt-1.5">
        <Button
          className="px-2! py-1! text-xs!"
          disabled={!standing}
          aria-label={`Bring ${name} to target`}
          title="Sets its trim from what was measured; undo takes it back"
          onClick={() => ask({ type: "bring_to_target", input_id: id })}
        >
          To target
        </Button>
        {!isChained && (
          <>
            <Button
              className="px-2! py-1! text-xs!"
              look={input.is_held ? "main" : "plain"}
              aria-pressed={input.is_held}
              aria-label={`Hold ${name} at its target`}
              title={`Keeps it at its target by itself: slowly, by ${HOLD_RANGE_DB} dB at most`}
              onClick={() => setSetting(`inputs.${id}.is_held`, !input.is_held)}
            >
              Hold
            </Button>
            <Button
              className="px-2! py-1! text-xs!"
              aria-expanded={isOpen}
              aria-label={`Shape ${name}`}
              title="Its trim, its dip under the voice, its EQ"
              onClick={onOpen}
            >
              Shape
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
