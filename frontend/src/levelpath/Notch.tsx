/** A threshold on the level path: a mark on its station that can be dragged up and down. */

import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { nudgeSetting, setSetting, trySetting } from "../live/link";
import { useSetting } from "../ui/Setting";
import { digitsOf, signless, spoken } from "../units/format";
import { afterKey, settle } from "../units/taper";
import { dbPerPixel, yOf, type Frame } from "./scale";
import { t } from "../text/text";

type Props = { path: string; label: string; side: "above" | "below"; x: number; frame: Frame };

const WIDTH = 72;

export function Notch({ path, label, side, x, frame }: Props) {
  const setting = useSetting(path);
  const [dragged, setDragged] = useState<number | null>(null);
  const grip = useRef<{ y: number; value: number } | null>(null);
  if (!setting || typeof setting.value !== "number") return null;
  const { info } = setting;
  const value = dragged ?? setting.value;
  const y = yOf(value, frame);

  /** It moves by what it is dragged, wherever it was gripped: a click alone moves nothing. */
  const follow = (event: PointerEvent<HTMLElement>) => {
    if (!grip.current) return;
    const by = (grip.current.y - event.clientY) * dbPerPixel(frame);
    if (by === 0 && dragged === null) return;
    const next = settle(grip.current.value + by, info);
    setDragged(next);
    trySetting(path, next);
  };
  const drop = () => {
    grip.current = null;
    if (dragged === null) return;
    // Saved even if the value shown is already this one: so far it has only been tried.
    setSetting(path, dragged);
    setDragged(null);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const isReset = event.key === "Delete" || event.key === "Backspace";
    const next = isReset
      ? (info.defaultValue as number)
      : afterKey(event.key, event.shiftKey, value, info);
    if (next === null) return;
    event.preventDefault();
    if (isReset) setSetting(path, next);
    else nudgeSetting(path, next);
  };

  return (
    <div
      role="slider"
      tabIndex={0}
      aria-orientation="vertical"
      aria-label={t("levelpath.labelOnTheLevelPath", { label: info.label })}
      aria-valuemin={info.minimum}
      aria-valuemax={info.maximum}
      aria-valuenow={value}
      aria-valuetext={spoken(value, info.unit, digitsOf(info.step))}
      title={info.help}
      className="absolute flex h-6 -translate-1/2 cursor-ns-resize! touch-none items-center"
      style={{ left: x, top: y, width: WIDTH }}
      onKeyDown={onKeyDown}
      onDoubleClick={() => setSetting(path, info.defaultValue as number)}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        grip.current = { y: event.clientY, value };
      }}
      onPointerMove={follow}
      onPointerUp={drop}
      onPointerCancel={drop}
    >
      <svg width={WIDTH} height="12" aria-hidden className="block">
        <path
          d={`M1 6 l9 -5 v10 z M${WIDTH - 1} 6 l-9 -5 v10 z`}
          fill="var(--text)"
          stroke="var(--ground)"
          strokeWidth="0.5"
        />
        <line x1="10" x2={WIDTH - 10} y1="6" y2="6" stroke="var(--text)" strokeWidth="1.5" />
      </svg>
      <span
        className={`absolute left-1/2 -translate-x-1/2 rounded bg-ground/70 px-1 text-[11px] font-semibold whitespace-nowrap ${
          side === "above" ? "bottom-[19px]" : "top-[19px]"
        }`}
      >
        {label} <span className="figures">{signless(value, 1)}</span>
      </span>
    </div>
  );
}
