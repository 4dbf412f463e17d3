/** A level as a bar of one hue: what is over is vermilion and marked. */

import { CLIPPED_DBFS } from "../api/facts.gen";
import { t } from "../text/text";

const LOWEST_DBFS = -72;

const shareOf = (dbfs: number) =>
  Math.max(0, Math.min(1, (dbfs - LOWEST_DBFS) / -LOWEST_DBFS)) * 100;

type Props = { dbfs: number; colour: string; label: string; className?: string };

export function LevelBar({ dbfs, colour, label, className = "h-2.5" }: Props) {
  const isOver = dbfs >= CLIPPED_DBFS;
  return (
    <span
      role="meter"
      aria-label={label}
      aria-valuemin={LOWEST_DBFS}
      aria-valuemax={0}
      aria-valuenow={Math.max(LOWEST_DBFS, Math.min(0, Math.round(dbfs)))}
      aria-valuetext={
        dbfs <= LOWEST_DBFS
          ? t("ui.silent")
          : isOver
            ? t("ui.over", { level: String(Math.round(dbfs)) })
            : `${Math.round(dbfs)} dBFS`
      }
      className={`relative block overflow-hidden rounded-full bg-line/60 ${className}`}
    >
      <span
        className="absolute inset-y-0 left-0 rounded-full"
        style={{
          width: `${shareOf(dbfs)}%`,
          background: isOver ? "var(--over)" : colour,
        }}
      />
      {isOver && (
        <span
          aria-hidden
          className="absolute inset-y-0 right-1 flex items-center text-[10px] leading-none text-ground"
        >
          ▲
        </span>
      )}
    </span>
  );
}
