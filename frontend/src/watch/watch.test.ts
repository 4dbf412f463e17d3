import { describe, expect, it } from "vitest";
import type { DrawnLane, LanesData, Mark, WatchEvent } from "../api/client";
import { timeOf } from "./evenings";
import { laneSentence } from "./lanes";
import { momentsOf } from "./MomentList";

const game: DrawnLane = {
  column: "over:game",
  name: "Over Game",
  wanted: "12 dB wanted",
  hue: "game",
  is_share: false,
  low: -4,
  high: 24,
  band_low: 10,
  band_high: 16,
  digits: 1,
  unit: "dB",
};

const event = (given: Partial<WatchEvent>): WatchEvent => ({
  number: 1,
  rule: "covered",
  subject: "game",
  title: "Game is over you",
  text: "It stands 3 dB over your peaks.",
  help: "",
  began_s: 60,
  told_s: 65,
  ended_s: 72.5,
  count: 1,
  worst: 3,
  mend: null,
  is_known: false,
  heard_as: "was",
  ...given,
});

describe("the lanes of an evening", () => {
  it("are said in a sentence, with what is missing left out", () => {
    const data: LanesData = {
      from_s: 0,
      to_s: 3,
      means: { "over:game": [12.4, null, 9.3] },
      lows: { "over:game": [11, null, -2.5] },
      highs: { "over:game": [14, null, 10] },
      drawn: [game],
    };
    expect(laneSentence(game, data)).toBe("Over Game: 9.3 dB now, from −2.5 to 14.0; 12 dB wanted");
    expect(laneSentence(game, { ...data, means: {} })).toBe("Over Game: no data yet; 12 dB wanted");
  });
});

describe("moments", () => {
  it("stand with the newest first, events and marks together, each with how long it was", () => {
    const mark: Mark = { id: 1, frame: 48_000 * 70, name: "", by: "you" };
    const found = momentsOf(
      [event({}), event({ number: 2, began_s: 100, ended_s: null, count: 3 })],
      [mark],
      220,
    );
    expect(found.map(({ title }) => title)).toEqual([
      "Game is over you",
      "Mark",
      "Game is over you",
    ]);
    expect(found[0]?.text).toMatch(/^Ongoing for 2 min, 3 times\./);
    expect(found[2]?.text).toMatch(/^12\.5 s\./);
    // What is over at once has no length.
    const lost = event({ began_s: 5, ended_s: 5.04, text: "Some was not made." });
    expect(momentsOf([lost], [], 220)[0]?.text).toMatch(/^Some was not made/);
  });

  it("are told by the time of the day", () => {
    const began = { at_s: 0, utc: new Date(2026, 10, 24, 20, 59, 30).toISOString() };
    expect(timeOf([began], 45)).toBe("21:00");
    // The computer slept for an hour after a minute.
    const woke = { at_s: 60, utc: new Date(2026, 10, 24, 22, 0, 30).toISOString() };
    expect([59, 61].map((atS) => timeOf([began, woke], atS))).toEqual(["21:00", "22:00"]);
  });
});
