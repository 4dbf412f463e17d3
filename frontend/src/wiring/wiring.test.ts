import { describe, expect, it } from "vitest";
import type { InputSettings, Rig } from "../api/client";
import { columnsOf, toViewers } from "../levelpath/stations";
import { FEEDS, reachSentence } from "../live/reach";
import { roleColour, roleText, ROLES } from "../ui/roles";
import { partsOf } from "./ledger";

const send = { is_heard: true, level_db: 0, tap: "after_fader" as const };
const input = (id: string, isHeard = true) =>
  ({
    id,
    name: id,
    chain: [],
    sends: { viewers: { ...send, is_heard: isHeard } },
  }) as unknown as InputSettings;

const rig = {
  chained: "voice",
  is_on_break: false,
  inputs: [
    {
      ...input("voice"),
      chain: [
        { id: "trim", stage: "trim" },
        { id: "gate", stage: "gate" },
        { id: "compressor", stage: "compressor" },
      ],
    },
    input("game"),
    input("bells", false),
  ],
} as unknown as Rig;

describe("the ledger of the delay", () => {
  const parts = partsOf(
    [
      { name: "Attic interface, one block", ms: 5.33 },
      { name: "trim", ms: 0 },
      { name: "gate", ms: 2 },
      { name: "compressor", ms: 0 },
      { name: "ceiling", ms: 2.4 },
      { name: "feed delay", ms: 0 },
      { name: "out, one block", ms: 5.33 },
    ],
    rig,
  );
  it("names every part and gathers the stages that cost nothing", () => {
    expect(parts.map(({ name }) => name)).toEqual([
      "Attic interface, one block",
      "Gate",
      "Ceiling look-ahead",
      "Output block",
      "Trim, Compressor",
    ]);
  });
  it("lets each part begin where the one before it ends", () => {
    const timed = parts.filter(({ ms }) => ms > 0);
    timed.slice(1).forEach((part, i) => {
      const before = timed[i];
      expect(part.startMs).toBeCloseTo((before?.startMs ?? 0) + (before?.ms ?? 0));
    });
    expect(timed.reduce((sum, { ms }) => sum + ms, 0)).toBeCloseTo(15.06);
  });
  it("is empty for a feed of which nothing is known yet", () => {
    expect(partsOf([], rig)).toEqual([]);
  });
});

describe("who hears whom, in words", () => {
  it("has a sentence for every listener and state, and none is said twice", () => {
    for (const feed of FEEDS) {
      const said = (["hears", "open", "closed"] as const).map((reach) =>
        reachSentence(feed, reach, undefined),
      );
      expect(new Set(said).size).toBe(3);
      expect(reachSentence(feed, undefined, undefined)).toBe("unknown");
    }
    expect(reachSentence("viewers", "closed", undefined)).toBe("do not hear you");
    expect(reachSentence("call", "open", undefined)).toBe("can hear you");
    expect(reachSentence("call", "open", { outputs: [] } as unknown as Rig)).toBe("no output yet");
  });
  it("stands beside the voice what viewers hear, and only that", () => {
    expect(columnsOf(rig).map(({ id }) => id)).toEqual(["voice", "game"]);
    expect(toViewers("game")).toBe("viewers/game");
    const many = { ...rig, inputs: Array.from({ length: 12 }, (_, i) => input(`i${i}`)) };
    expect(columnsOf(many as Rig).length).toBe(5);
  });
  it("gives each role one hue", () => {
    expect(new Set(ROLES.map(roleColour)).size).toBe(ROLES.length);
    for (const role of ROLES) expect(roleText(role)).toMatch(/^var\(--/);
  });
});
