/** A numeric setting: label, slider, typed number, unit. All of its range comes from the server. */

import { Slider } from "radix-ui";
import { memo, useRef, useState, type KeyboardEvent } from "react";
import { settingInfo, valueAt, type SettingInfo } from "../api/settings";
import { nudgeSetting, setSetting, trySetting } from "../live/link";
import { useLive } from "../live/store";
import { digitsOf, parseNumber, signless, spoken } from "../units/format";
import { nowSentence } from "../units/reads";
import { SettingHelp } from "./SettingHelp";
import { afterKey, fromTravel, settle, toTravel } from "../units/taper";
import { t } from "../text/text";

type Props = {
  path: string;
  colour?: string;
  /** Instead of the setting's own name, where the same one stands for several things. */
  label?: string;
  /** What is written, where the place itself says the rest. */
  shortLabel?: string;
};

/** The setting's present value and what is known of it; null until both have come. */
export function useSetting(path: string): { value: unknown; info: SettingInfo } | null {
  const rig = useLive((live) => live.state?.rig);
  const known = useLive((live) => live.known);
  if (!rig || !known) return null;
  return { value: valueAt(rig, path), info: settingInfo(known, rig, path) };
}

/** Made again only when it is another: what stands beside it may change ten times a second. */
export const Setting = memo(function Setting({
  path,
  colour = "var(--voice)",
  label,
  shortLabel,
}: Props) {
  const setting = useSetting(path);
  const [dragged, setDragged] = useState<number | null>(null);
  const [isHelping, setHelping] = useState(false);
  const thumb = useRef<HTMLSpanElement>(null);
  const latest = useRef<number | null>(null);
  if (!setting || typeof setting.value !== "number") return null;
  const { info } = setting;
  const drag = (next: number | null) => {
    latest.current = next;
    setDragged(next);
  };
  /** A drag ends with what it ended on, also where it began: what was tried on the way must not stay. */
  const drop = () => {
    if (latest.current === null) return;
    setSetting(path, latest.current);
    drag(null);
  };
  const name = label ?? info.label;
  const value = dragged ?? setting.value;
  const digits = digitsOf(info.step);
  const reset = () => setSetting(path, info.defaultValue as number);

  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === "F1") {
      event.preventDefault(); // The browser has a help of its own.
      setHelping(true);
      return;
    }
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      reset();
      return;
    }
    const next = afterKey(event.key, event.shiftKey, value, info);
    if (next === null) return;
    event.preventDefault(); // Radix moves by its own steps otherwise.
    nudgeSetting(path, next);
  };

  return (
    <div className="pb-px" title={info.help} data-path={path}>
      <div className="flex items-baseline justify-between">
        <SettingHelp
          path={path}
          name={name}
          shortName={shortLabel}
          value={value}
          info={info}
          isOpen={isHelping}
          onOpen={setHelping}
          returnTo={thumb}
        />
        <span className="flex items-baseline gap-1.5">
          <TypedNumber
            label={name}
            value={value}
            digits={digits}
            onChange={(typed) => setSetting(path, settle(typed, info, 10))}
          />
          <span className="w-9 text-xs text-quiet">{info.unit}</span>
        </span>
      </div>
      <Slider.Root
        className="relative flex h-[18px] touch-none items-center select-none"
        min={toTravel(info.minimum, info)}
        max={toTravel(info.maximum, info)}
        step={info.taper === "log" ? 0.0001 : info.step}
        value={[toTravel(value, info)]}
        onValueChange={([travel = 0]) => {
          const next = fromTravel(travel, info);
          drag(next);
          trySetting(path, next);
        }}
        onPointerUp={drop}
        onPointerCancel={drop}
        onLostPointerCapture={drop}
        onKeyDown={onKeyDown}
        onDoubleClick={reset}
      >
        <Slider.Track className="h-1 grow rounded bg-line">
          <Slider.Range className="absolute h-1 rounded" style={{ background: colour }} />
        </Slider.Track>
        <Slider.Thumb
          ref={thumb}
          className="thumb"
          aria-label={name}
          aria-description={t("ui.helpValueF1ForMore", {
            help: info.help,
            value: nowSentence(value, info, digits),
          })}
          // On a logarithmic slider Radix would say the place, not the value.
          aria-valuemin={info.minimum}
          aria-valuemax={info.maximum}
          aria-valuenow={value}
          aria-valuetext={spoken(value, info.unit, digits)}
        />
      </Slider.Root>
    </div>
  );
});

type TypedProps = {
  label: string;
  value: number;
  digits: number;
  onChange: (value: number) => void;
};

/** A number that can be typed over; Escape takes the old one back. */
function TypedNumber({ label, value, digits, onChange }: TypedProps) {
  const [draft, setDraft] = useState<string | null>(null);
  const finish = () => {
    const typed = draft === null ? null : parseNumber(draft);
    setDraft(null);
    if (typed !== null && typed !== value) onChange(typed);
  };
  return (
    <input
      className="figures w-16 rounded bg-transparent px-1 text-right text-[13px] font-semibold hover:bg-raised focus:bg-raised"
      aria-label={t("ui.labelTypeAValue", { label })}
      inputMode="decimal"
      value={draft ?? signless(value, digits)}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={finish}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setDraft(null);
      }}
    />
  );
}
