import { describe, expect, it } from "vitest";
import type { InputSettings, Levels, Rig, StageReading } from "../api/client";
import { findStage } from "../live/chains";
import { Ring } from "../live/readings";
import { levelsSentence } from "../live/levelsSentence";
import { columnX, dbPerPixel, frameOf, xOf, yOf } from "./scale";
import { figureOf, notchesOf, stationsOf } from "./stations";

const voice = {
  id: "voice",
  role: "voice",
  chain: [
    { id: "trim", stage: "trim", is_bypassed: false, settings: { gain_db: 7 } },
    { id: "gate", stage: "gate", is_bypassed: false, settings: {} },
    { id: "compressor", stage: "compressor", is_bypassed: true, settings: {} },
    { id: "limiter", stage: "limiter", is_bypassed: false, settings: {} },
  ],
} as unknown as InputSettings;
const rig = { chained: "voice", inputs: [voice] } as unknown as Rig;

describe("stations", () => {
  const stations = stationsOf(rig, voice);
  it("run from the microphone through the chain to the viewers", () => {
    expect(stations.map(({ label }) => label)).toEqual([
      "Microphone",
      "Trim",
      "Gate",
      "Compressor",
      "Limiter",
      "Viewers",
    ]);
  });
  it("run from where it comes in, for another input", () => {
    const game = { id: "game", role: "game", chain: [] } as unknown as InputSettings;
    expect(stationsOf(rig, game).map(({ meter }) => meter)).toEqual(["into/game", "viewers/game"]);
  });
  it("say what each does now", () => {
    const levels = { stations: { microphone: { peaks_dbfs: -19.06 } } } as unknown as Levels;
    const readings: Record<string, StageReading> = {
      gate: { is_open: true },
      limiter: { gain_reduction_db: 1.4 },
    };
    const said = stations.map((station) =>
      figureOf(station, findStage(rig, station.meter)?.slot, levels, readings[station.meter]),
    );
    expect(said).toEqual(["−19.1", "+7.0", "open", "bypassed", "−1.4", "–"]);
  });
  it("carry the thresholds of their stage", () => {
    expect(voice.chain.map((slot) => notchesOf(slot).length)).toEqual([0, 2, 1, 1]);
  });
});

describe("the scale", () => {
  const frame = frameOf(1146, 316, true);
  it("goes from decibels to height and back, and ends at its ends", () => {
    const by = yOf(-37, frame) - yOf(-30, frame);
    expect(by * dbPerPixel(frame)).toBeCloseTo(7);
    expect(yOf(6, frame)).toBe(frame.top);
    expect(yOf(-200, frame)).toBe(frame.bottom);
  });
  it("keeps stations left of what the viewers get, even in a small window", () => {
    for (const width of [890, 1146, 3700]) {
      const small = frameOf(width, 150, false);
      expect(xOf(5, 6, small)).toBeLessThan(small.split);
      expect(columnX(2, 3, small)).toBeLessThan(width);
    }
  });
});

describe("what is kept and spoken", () => {
  it("a ring gives the newest values, oldest first", () => {
    const ring = new Ring(3, -120);
    [1, 2, 3, 4].forEach((value) => ring.push(value));
    expect([0, 1, 2].map((i) => ring.at(i))).toEqual([2, 3, 4]);
    expect(ring.newest(2)).toBe(4);
  });
  it("a sentence for the ear, with what is not known left out", () => {
    expect(levelsSentence(null, undefined, {})).toContain("is not running");
    const levels = {
      peaks_dbfs: { voice: -7.25, game: -20, music: null },
      clearance_db: { game: 12.8, music: null },
      standings: { voice: { text: "on target" }, game: { text: "on target" } },
    } as unknown as Levels;
    const inputs = ["voice", "game", "music"].map((id) => ({ id, name: id }));
    expect(
      levelsSentence(levels, { chained: "voice", inputs } as unknown as Rig, {
        viewers: "closed",
        call: "hears",
      }),
    ).toBe(
      "Voice peaks minus 7.3 decibels, on target. Above game: 12.8 decibels, on target. Viewers: do not hear you. Call: hears you.",
    );
  });
});
