import { describe, expect, it } from "vitest";
import { boundTo, goalOf, heardOf } from "./midi";

describe("MIDI", () => {
  it("is heard by kind, channel and number", () => {
    expect(heardOf([0xb0, 7, 100])).toEqual({ control: "control 1 7", value: 100 });
    expect(heardOf([0x9f, 36, 64])).toEqual({ control: "note 16 36", value: 64 });
    expect(heardOf([0x80, 36, 64])).toEqual({ control: "note 1 36", value: 0 });
    expect(heardOf([0xf8])).toBeNull();
  });

  it("has one control for one thing", () => {
    const first = boundTo([], "control 1 7", "inputs.game.fader_db");
    const second = boundTo(first, "control 1 7", "mute");
    expect(second).toEqual(["control 1 7: mute"]);
    expect(boundTo(second, "note 1 36", "mute")).toEqual(["note 1 36: mute"]);
    expect(goalOf(second, "control 1 7")).toBe("mute");
    expect(goalOf(second, "control 1 70")).toBe("");
  });
});
