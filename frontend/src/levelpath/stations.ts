/** The stations of the level path, from the microphone to the viewers, and what is written under each. */

import { STAGE_LABELS } from "../api/facts.gen";
import type { StageReading, EqSettings, InputSettings, Levels, Rig, Slot } from "../api/client";
import { SILENCE } from "../live/readings";
import { comesIn } from "../live/chains";
import { decibels, LEAST_HEARD_DBFS, signless } from "../units/format";
import { t } from "../text/text";

export type Station = {
  /** Name of its measurements. */
  meter: string;
  label: string;
  /** The stage it opens; null at both ends. */
  stageId: string | null;
};

/** Names for where there is no room for the whole: the trade's own short forms. */
const SHORT_LABELS: Record<string, string> = {
  [t("levelpath.microphone")]: t("levelpath.mic"),
  [STAGE_LABELS.high_pass]: t("levelpath.hpf"),
  [STAGE_LABELS.suppressor]: t("levelpath.suppr"),
  [STAGE_LABELS.de_esser]: t("levelpath.deEss"),
  [STAGE_LABELS.compressor]: t("levelpath.comp"),
  [STAGE_LABELS.three_band]: t("levelpath.threeBands"),
  [STAGE_LABELS.leveller]: t("levelpath.level"),
  [STAGE_LABELS.limiter]: t("levelpath.limit"),
};

export const shortLabel = (label: string) => SHORT_LABELS[label] ?? label;

/** Narrower than this, neighbouring names would run into each other. */
export const NARROW_PX = 66;

/** Where an input's part of the Viewers feed is measured. */
export const toViewers = (inputId: string) => `viewers/${inputId}`;

const MOST_COLUMNS = 5;

/** What stands side by side at the right end: the inputs that viewers hear. */
export function columnsOf(rig: Rig): InputSettings[] {
  return rig.inputs.filter(({ sends }) => sends.viewers.is_heard).slice(0, MOST_COLUMNS);
}

/** The way of one input, from its device to the viewers. */
export function stationsOf(rig: Rig, input: InputSettings | undefined): Station[] {
  if (!input) return [{ meter: "microphone", label: t("levelpath.microphone"), stageId: null }];
  return [
    {
      meter: comesIn(input, rig),
      label: input.role === "voice" ? t("levelpath.microphone") : t("levelpath.input"),
      stageId: null,
    },
    ...input.chain.map((slot) => ({
      meter: slot.id,
      label: STAGE_LABELS[slot.stage],
      stageId: slot.id,
    })),
    { meter: toViewers(input.id), label: t("levelpath.viewers"), stageId: null },
  ];
}

/** No figure is given of what nobody hears. */
const heard = (dbfs: number | null | undefined) =>
  decibels(typeof dbfs === "number" && dbfs > LEAST_HEARD_DBFS ? dbfs : null);

const signed = (value: number) => (value > 0 ? "+" : "") + signless(value, 1);

/** How many bands of an EQ do something. */
function bandsAtWork(settings: EqSettings): number {
  return Object.values(settings).filter(
    (band) => band.is_on && (!("gain_db" in band) || band.gain_db !== 0),
  ).length;
}

/** What a stage does just now, in a word or a number. */
export function figureOf(
  station: Station,
  slot: Slot | undefined,
  levels: Levels | null,
  reading: StageReading | undefined,
  isShort = false,
): string {
  if (!slot) return heard(levels?.stations[station.meter]?.peaks_dbfs);
  if (slot.is_bypassed) return t("levelpath.bypassed");
  switch (slot.stage) {
    case "trim":
      return signed(slot.settings.gain_db);
    case "high_pass":
      return `${slot.settings.frequency_hz.toFixed(0)} Hz`;
    case "eq":
      return t(isShort ? "levelpath.bandsShort" : "levelpath.bands", {
        count: bandsAtWork(slot.settings),
      });
    case "suppressor":
      if (!reading) return "–";
      return isShort
        ? signless(reading.noise_dbfs ?? SILENCE, 0)
        : t("levelpath.room", { level: signless(reading.noise_dbfs ?? SILENCE, 0) });
    case "insert":
      return reading?.is_back ? `${slot.settings.way_ms.toFixed(0)} ms` : t("levelpath.dry");
    case "leveller":
      return signed(reading?.gain_db ?? 0);
    case "gate":
      return reading?.is_open ? t("levelpath.open") : t("levelpath.closed");
    default:
      return signless(-(reading?.gain_reduction_db ?? 0), 1);
  }
}

/** The thresholds that can be dragged on the path, as paths of settings. */
export function notchesOf(
  slot: Slot,
): { setting: string; label: string; side: "above" | "below" }[] {
  switch (slot.stage) {
    case "gate":
      return [
        { setting: "open_threshold_dbfs", label: t("levelpath.open"), side: "above" },
        { setting: "close_threshold_dbfs", label: t("levelpath.close"), side: "below" },
      ];
    case "compressor":
      return [{ setting: "threshold_dbfs", label: t("levelpath.threshold"), side: "above" }];
    case "limiter":
      return [{ setting: "ceiling_dbtp", label: t("levelpath.ceiling"), side: "above" }];
    default:
      return [];
  }
}
