import { describe, expect, it } from "vitest";
import { BANDS, hertz, hzOfShare, octavesOf, shareOfHz, ZONES } from "./bands";

describe("the frequency axis", () => {
  it("gives every octave the same width, and leads back", () => {
    const octave = shareOfHz(200) - shareOfHz(100);
    expect(shareOfHz(8000) - shareOfHz(4000)).toBeCloseTo(octave);
    expect([shareOfHz(20), shareOfHz(20000)]).toEqual([0, 1]);
    for (const hz of [20, 75, 1000, 15999]) expect(hzOfShare(shareOfHz(hz))).toBeCloseTo(hz);
  });
  it("is covered by the zones of a voice without a gap", () => {
    expect(ZONES[0]?.from).toBe(20);
    expect(ZONES.at(-1)?.to).toBe(20000);
    ZONES.slice(1).forEach((zone, i) => expect(zone.from).toBe(ZONES[i]?.to));
  });
  it("is read in hertz and thousands of them", () => {
    expect([20, 440, 999, 1000, 1250, 9940, 10000, 20000].map(hertz)).toEqual([
      "20",
      "440",
      "999",
      "1k",
      "1.3k",
      "9.9k",
      "10k",
      "20k",
    ]);
  });
});

describe("bands", () => {
  it("know how wide a Q is: 1.41 is an octave, 0.67 two, 4.32 a third of one", () => {
    expect(octavesOf(1.414)).toBeCloseTo(1, 2);
    expect(octavesOf(0.667)).toBeCloseTo(2, 2);
    expect(octavesOf(4.318)).toBeCloseTo(1 / 3, 2);
  });
  it("have names and marks of their own", () => {
    expect(new Set(BANDS.map(({ label }) => label)).size).toBe(10);
    expect(new Set(BANDS.map(({ short }) => short)).size).toBe(10);
  });
});
