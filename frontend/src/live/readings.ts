/**
 * The measurements that stream in. Kept outside React: pictures read them when news comes, numbers ten
 * times a second. A station's history holds the last ten seconds, one value per 10 ms.
 */

import { replaceEqualDeep } from "@tanstack/query-core";
import { useEffect, useRef, useState, useSyncExternalStore } from "react";
import type {
  History,
  Lamps,
  Levels,
  Reaches,
  Readings,
  Spectra,
  StageReading,
} from "../api/client";

export const HISTORY = 1000;
export const SILENCE = -120;
export const SPEECH = 1;
const STALE_MS = 500;
const CALM_MS = 1000;
const STAGE_HISTORY = 300;
export const MINUTE = 600;

/** A ring of the newest values; index 0 is the oldest. */
export class Ring {
  private readonly values: Float32Array;
  private next = 0;
  constructor(
    readonly length: number,
    empty: number,
  ) {
    this.values = new Float32Array(length).fill(empty);
  }
  push(value: number) {
    this.values[this.next] = value;
    this.next = (this.next + 1) % this.length;
  }
  at(index: number): number {
    return this.values[(this.next + index) % this.length] ?? 0;
  }
  newest(count: number): number {
    let greatest = -Infinity;
    for (let i = this.length - count; i < this.length; i++) {
      greatest = Math.max(greatest, this.at(i));
    }
    return greatest;
  }
}

export class ReadingsStore {
  readonly rms = new Map<string, Ring>();
  readonly peak = new Map<string, Ring>();
  readonly activity = new Ring(HISTORY, 0);
  /** Of the other voices, by the input's id. */
  private readonly activities = new Map<string, Ring>();
  /** Of each stage, one value a message (30 a second): gain reduction in dB, and whether it is open. */
  readonly reduction = new Map<string, Ring>();
  readonly isOpen = new Map<string, Ring>();
  /** The microphone's highest peak of each tenth of a second, over a minute. */
  readonly minute = new Ring(MINUTE, SILENCE);
  private tenth: number[] = [];
  /** The plan that is heard. */
  plan = 0;
  stages: Record<string, StageReading> = {};
  ceilings: Record<string, StageReading> = {};
  /** Each input's highest peak ahead of its fader, in dBFS. */
  inputs: Record<string, number> = {};
  levels: Levels | null = null;
  /** Whether a microphone reaches each listener. */
  reach: Reaches = {};
  spectra: Spectra | null = null;
  private heardAt = -Infinity;
  private readonly listeners = new Set<() => void>();
  private readonly calmListeners = new Set<() => void>();
  private calmAt = -Infinity;
  private tellNews: (areFigures?: boolean) => void = () => {};
  private stale: ReturnType<typeof setTimeout> | undefined;

  private ring(rings: Map<string, Ring>, name: string, length = HISTORY, empty = SILENCE): Ring {
    let ring = rings.get(name);
    if (!ring) rings.set(name, (ring = new Ring(length, empty)));
    return ring;
  }

  takeHops(hops: Readings | History) {
    for (const value of hops.activity) this.activity.push(value);
    for (const [id, values] of Object.entries(hops.activities)) {
      for (const value of values) this.ring(this.activities, id, HISTORY, 0).push(value);
    }
    for (const [name, values] of Object.entries(hops.rms_dbfs)) {
      for (const value of values) this.ring(this.rms, name).push(value);
    }
    for (const [name, values] of Object.entries(hops.peak_dbfs)) {
      for (const value of values) this.ring(this.peak, name).push(value);
    }
    for (const value of hops.peak_dbfs.microphone ?? []) {
      this.tenth.push(value);
      if (this.tenth.length < 10) continue;
      this.minute.push(Math.max(...this.tenth));
      this.tenth = [];
    }
    this.tellNews();
  }

  takeReadings(readings: Readings) {
    this.takeHops(readings);
    this.stages = readings.stages;
    this.ceilings = readings.ceilings;
    this.inputs = readings.inputs;
    for (const [id, reading] of Object.entries(this.stages)) {
      if (typeof reading.gain_reduction_db === "number") {
        this.ring(this.reduction, id, STAGE_HISTORY, 0).push(reading.gain_reduction_db);
      }
    }
    for (const [id, { is_open }] of Object.entries(this.stages)) {
      if (is_open !== undefined) this.ring(this.isOpen, id, STAGE_HISTORY, 0).push(Number(is_open));
    }
    this.heardAt = performance.now();
    clearTimeout(this.stale);
    // That nothing comes any more is news, too.
    this.stale = setTimeout(this.tellFigures, STALE_MS + 1);
  }

  takeLevels(levels: Levels) {
    // What is as it was stays the same object, so that what shows only this is not made again.
    this.levels = replaceEqualDeep(this.levels, levels);
    this.tellFigures();
  }

  takeLamps({ reach, plan }: Lamps) {
    this.reach = reach;
    this.plan = plan;
    this.tellFigures();
  }

  takeSpectra(spectra: Spectra) {
    this.spectra = spectra;
    this.tellNews();
  }

  /** Whether an input speaks in each hop; null for what is no voice, or not followed. */
  activityOf(inputId: string, mainId: string): Ring | null {
    return inputId === mainId ? this.activity : (this.activities.get(inputId) ?? null);
  }

  /** Of one stage; null while nothing of it comes. */
  spectraOf(stageId: string): Spectra | null {
    return this.spectra?.stage_id === stageId && !this.isStale() ? this.spectra : null;
  }

  /** Peak of the last 0.1 s at a station; silence while nothing comes. */
  livePeak(station: string): number {
    return this.isStale() ? SILENCE : (this.peak.get(station)?.newest(10) ?? SILENCE);
  }

  /** Peak of an input ahead of its fader; silence while nothing comes. */
  inputPeak(id: string): number {
    return this.isStale() ? SILENCE : (this.inputs[id] ?? SILENCE);
  }

  isStale(): boolean {
    return performance.now() - this.heardAt > STALE_MS;
  }

  forget() {
    this.levels = null;
    this.reach = {};
    this.plan = 0;
    this.tellFigures();
  }

  private tellFigures = () => {
    for (const listener of this.listeners) listener();
    const now = performance.now();
    if (now - this.calmAt >= CALM_MS || this.isStale()) {
      this.calmAt = now;
      for (const listener of this.calmListeners) listener();
    }
    this.tellNews(true);
  };

  /** Call this whenever something has changed that a picture may show: with true, when figures have come. */
  onNews(tell: (areFigures?: boolean) => void) {
    this.tellNews = tell;
  }

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  subscribeCalmly = (listener: () => void) => {
    this.calmListeners.add(listener);
    return () => void this.calmListeners.delete(listener);
  };
}

export const readings = new ReadingsStore();

/**
 * A part of what streams in, looked at with the figures. Only when it is another than before is what shows it made
 * again: select as little as is shown, and nothing that is made anew each time.
 */
export function useReadings<T>(select: (now: ReadingsStore) => T): T {
  return useSyncExternalStore(readings.subscribe, () => select(readings));
}

/** The same, once a second: for what is not seen but read out. */
export function useCalmReadings<T>(select: (now: ReadingsStore) => T): T {
  const newest = useRef(select);
  useEffect(() => {
    newest.current = select;
  }, [select]);
  const [value, setValue] = useState(() => select(readings));
  useEffect(() => readings.subscribeCalmly(() => setValue(newest.current(readings))), []);
  return value;
}

/** The same of the figures; null while the engine does not play. */
export function useLevels<T>(select: (levels: Levels | null) => T): T {
  return useReadings(({ levels }) => select(levels));
}

/** Whether figures come: nothing can be told of levels and devices while they do not. */
export const useIsTold = () => useReadings(({ levels }) => levels !== null);
