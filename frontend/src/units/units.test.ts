import { describe, expect, it } from "vitest";
import { decibels, digitsOf, levelWords, parseNumber, spoken } from "./format";
import { afterKey, fromTravel, settle, toTravel, type Range } from "./taper";

const threshold: Range = { minimum: -80, maximum: 0, step: 0.1, taper: "linear" };
const release: Range = { minimum: 5, maximum: 2000, step: 5, taper: "log" };

describe("numbers", () => {
  it("are written with a true minus and no minus zero", () => {
    expect(decibels(-7.25)).toBe("−7.3");
    expect(decibels(-0.04)).toBe("0.0");
    expect(decibels(null)).toBe("–");
    expect([0.1, 1, 5, 0.05].map(digitsOf)).toEqual([1, 0, 0, 2]);
  });
  it("are levels, silence, or nothing that can be told", () => {
    expect([-7.25, -90, undefined].map((dbfs) => levelWords(dbfs, 0))).toEqual([
      "−7 dBFS",
      "silent",
      "–",
    ]);
  });
  it("are read back however they were typed", () => {
    expect(["−12,5", "-12.5 dB", " 3", ".5"].map(parseNumber)).toEqual([-12.5, -12.5, 3, 0.5]);
    expect(["", "loud", "-"].map(parseNumber)).toEqual([null, null, null]);
  });
  it("are spoken with their unit", () => {
    expect(spoken(-18, "dB", 1)).toBe("minus 18.0 decibels");
    expect(spoken(3, ": 1", 1)).toBe("3.0 to one");
  });
});

describe("sliders", () => {
  it("travel there and back, and stay in their range", () => {
    for (const value of [5, 80, 2000]) {
      expect(fromTravel(toTravel(value, release), release)).toBe(value);
    }
    expect(settle(99, threshold)).toBe(0);
    expect(settle(-37.449, threshold)).toBe(-37.4);
  });
  it("move by steps, tenths of them, tens of them, and to the ends", () => {
    const after = (key: string, isFine = false) => afterKey(key, isFine, -37, threshold);
    expect(after("ArrowUp")).toBe(-36.9);
    expect(after("ArrowDown", true)).toBe(-37.01);
    expect(after("PageUp")).toBe(-36);
    expect([after("Home"), after("End"), after("a")]).toEqual([-80, 0, null]);
  });
});
