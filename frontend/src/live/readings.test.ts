/** What streams in: kept as long as it is shown, and not believed when nothing comes any more. */

import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Levels, Readings } from "../api/client";
import { HISTORY, MINUTE, SILENCE, SPEECH } from "./readings";

async function load() {
  vi.resetModules();
  return (await import("./readings")).readings;
}

/** A message of three hops. */
const message = (peaks: number[], more: object = {}) =>
  ({
    plan: 1,
    activity: peaks.map(() => SPEECH),
    activities: { guest: peaks.map(() => 0) },
    rms_dbfs: { microphone: peaks.map((peak) => peak - 12) },
    peak_dbfs: { microphone: peaks },
    stages: {},
    ceilings: {},
    inputs: { voice: Math.max(...peaks) },
    ...more,
  }) as unknown as Readings;

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

describe("what streams in", () => {
  it("is a history of ten seconds, the oldest first", async () => {
    const readings = await load();
    for (let n = 0; n < HISTORY; n += 3) readings.takeReadings(message([n, n + 1, n + 2]));
    const peaks = readings.peak.get("microphone");
    expect(peaks?.at(HISTORY - 1)).toBe(HISTORY + 1);
    expect(peaks?.at(0)).toBe(2);
    expect(readings.rms.get("microphone")?.at(HISTORY - 1)).toBe(HISTORY - 11);
    expect(readings.activityOf("voice", "voice")?.at(0)).toBe(SPEECH);
    expect(readings.activityOf("guest", "voice")?.at(HISTORY - 1)).toBe(0);
    expect(readings.activityOf("game", "voice")).toBeNull();
  });

  it("has the highest peak of each tenth in its minute, whatever the messages' borders", async () => {
    const readings = await load();
    for (const peaks of [
      [-40, -41, -42],
      [-9, -43, -44],
      [-45, -46, -47],
      [-48, -20, -49],
    ]) {
      readings.takeReadings(message(peaks));
    }
    expect(readings.minute.at(MINUTE - 1)).toBe(-9);
    expect(readings.minute.at(MINUTE - 2)).toBe(SILENCE);
    for (let n = 0; n < 3; n++) readings.takeReadings(message([-50, -51, -52]));
    expect(readings.minute.at(MINUTE - 1)).toBe(-20);
  });

  it("is told calmly once a second, and at once when nothing comes any more", async () => {
    const readings = await load();
    const often = vi.fn();
    const calmly = vi.fn();
    readings.subscribe(often);
    const stop = readings.subscribeCalmly(calmly);
    for (let tenth = 0; tenth < 25; tenth++) {
      readings.takeReadings(message([-20]));
      readings.takeLevels({ tenth } as unknown as Levels);
      vi.advanceTimersByTime(100);
    }
    expect(often).toHaveBeenCalledTimes(25);
    expect(calmly).toHaveBeenCalledTimes(3);
    vi.advanceTimersByTime(600);
    expect(calmly, "that it is stale").toHaveBeenCalledTimes(4);
    stop();
    readings.forget();
    expect(calmly).toHaveBeenCalledTimes(4);
  });

  it("is silence half a second after the last, and that is told like anything new", async () => {
    const readings = await load();
    const told = vi.fn();
    const heard = vi.fn();
    readings.onNews(told);
    readings.subscribe(heard);
    expect(readings.livePeak("microphone")).toBe(SILENCE);
    readings.takeReadings(message([-30, -10, -20]));
    expect(readings.livePeak("microphone")).toBe(-10);
    expect(readings.inputPeak("voice")).toBe(-10);
    expect(readings.inputPeak("nobody")).toBe(SILENCE);
    vi.advanceTimersByTime(400);
    expect(readings.isStale()).toBe(false);
    const before = told.mock.calls.length;
    vi.advanceTimersByTime(200);
    expect(told.mock.calls.length).toBe(before + 1);
    expect(heard).toHaveBeenCalledOnce();
    expect(readings.isStale()).toBe(true);
    expect(readings.livePeak("microphone")).toBe(SILENCE);
    expect(readings.inputPeak("voice")).toBe(SILENCE);
  });

  it("tells of figures as such, and forgets them with the link", async () => {
    const readings = await load();
    const told = vi.fn();
    const heard = vi.fn();
    readings.onNews(told);
    const leave = readings.subscribe(heard);
    const levels = { momentary_lufs: -16 } as Levels;
    readings.takeLevels(levels);
    expect(told).toHaveBeenLastCalledWith(true);
    expect(readings.levels).toBe(levels);
    readings.forget();
    expect([readings.levels, readings.plan]).toEqual([null, 0]);
    expect(heard).toHaveBeenCalledTimes(2);
    leave();
    readings.takeLevels(levels);
    expect(heard).toHaveBeenCalledTimes(2);
  });

  it("leaves what is as it was the same object, so that only what is new is shown anew", async () => {
    const readings = await load();
    const take = (delay: number) =>
      readings.takeLevels({
        delay_ms: { viewers: delay },
        findings: [{ key: "hum", marks: ["inputs.voice"] }],
      } as unknown as Levels);
    take(12);
    const before = readings.levels;
    take(12);
    expect(readings.levels).toBe(before);
    take(14);
    expect(readings.levels?.delay_ms.viewers).toBe(14);
    expect(readings.levels?.findings).toBe(before?.findings);
  });
  it("keeps a stage's work only where it says some, and spectra of the stage that is watched", async () => {
    const readings = await load();
    const stages = { gate: { is_open: true }, compressor: { gain_reduction_db: 3.5 } };
    readings.takeReadings(message([-30], { stages }));
    expect(readings.reduction.get("compressor")?.newest(1)).toBe(3.5);
    expect(readings.reduction.has("gate")).toBe(false);
    expect(readings.isOpen.get("gate")?.newest(1)).toBe(1);
    readings.takeSpectra({ stage_id: "eq" } as Parameters<typeof readings.takeSpectra>[0]);
    expect(readings.spectraOf("eq")).not.toBeNull();
    expect(readings.spectraOf("gate")).toBeNull();
    vi.advanceTimersByTime(600);
    expect(readings.spectraOf("eq"), "old ones are not shown").toBeNull();
  });
});
