import { describe, expect, it } from "vitest";
import type { Balance, BandSight, Rig } from "../api/client";
import { coveredSentence, overSentence } from "./sentences";

const rig = {
  inputs: [
    { id: "game", name: "Game" },
    { id: "tune", name: "Music" },
  ],
} as unknown as Rig;

function band(hz: number, heard: number, by: string): BandSight {
  return { hz, heard, is_covered: heard < 0.5, by, voice_db: 50, rest_db: 50, importance: 0.05 };
}

function second(number: number, over: string[], speech_s = 0.5): Balance["seconds"][number] {
  return { number, over, speech_s, peaks_dbfs: {} };
}

describe("what the pictures of the balance say", () => {
  it("names who covers which bands", () => {
    expect(coveredSentence(rig, [band(500, 0.9, "game")])).toBe(
      "No band of your voice is covered.",
    );
    expect(
      coveredSentence(rig, [
        band(800, 0.49, "game"),
        band(1250, 0.1, "game"),
        band(2000, 0.2, "tune"),
      ]),
    ).toBe("Game covers 2 bands (800, 1.25k Hz); Music covers 1 band (2k Hz).");
    expect(coveredSentence(rig, [band(160, 0, "gone")])).toContain("other sound covers 1 band");
  });

  it("counts the seconds in which somebody stood over the voice", () => {
    expect(overSentence(rig, [second(1, [])])).toBe("Nothing was above your voice.");
    expect(
      overSentence(rig, [
        second(1, ["game"], 0.4),
        second(2, []),
        second(3, ["game", "tune"], 0.8),
      ]),
    ).toBe("Game and Music above your voice in 2 seconds: 1.2 s of speech.");
    expect(overSentence(rig, [second(9, ["tune"], 1)])).toContain("in 1 second: 1.0 s");
  });
});
