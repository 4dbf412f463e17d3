import { describe, expect, it } from "vitest";
import type { Rig, SettingsSchema } from "./client";
import { settingInfo, valueAt } from "./settings";

const known = {
  schema: {
    $defs: {
      GateSlot: { properties: { settings: { $ref: "#/$defs/GateSettings" } } },
      GateSettings: {
        properties: {
          range_db: {
            title: "Range",
            description: "How much.",
            minimum: 6,
            maximum: 80,
            unit: "dB",
            step: 1,
            default: 18,
          },
        },
      },
      StripSettings: { properties: { trim_db: { minimum: -60, maximum: 12, default: 0 } } },
    },
    properties: {
      chain: { items: { discriminator: { mapping: { gate: "#/$defs/GateSlot" } } } },
      game: { $ref: "#/$defs/StripSettings" },
      block_frames: { enum: [64, 128] },
    },
  },
  defaults: { chain: [], game: { trim_db: -8 } },
} as unknown as SettingsSchema;

const rig = {
  chain: [{ id: "first", stage: "gate", settings: { range_db: 30 } }],
  game: { trim_db: -3 },
  block_frames: 64,
} as unknown as Rig;

describe("a setting is found by its path", () => {
  it("in a stage of the chain, by the stage's id", () => {
    const path = "chain.first.settings.range_db";
    expect(valueAt(rig, path)).toBe(30);
    expect(settingInfo(known, rig, path)).toMatchObject({
      label: "Range",
      minimum: 6,
      maximum: 80,
      unit: "dB",
      // A stage that a new rig does not have falls back to the setting's own default.
      defaultValue: 18,
    });
  });
  it("elsewhere, where a new rig's value is the default", () => {
    expect(settingInfo(known, rig, "game.trim_db")).toMatchObject({
      maximum: 12,
      defaultValue: -8,
    });
    expect(settingInfo(known, rig, "block_frames").options).toEqual([64, 128]);
  });
  it("or not at all", () => {
    expect(valueAt(rig, "chain.second.settings.range_db")).toBeUndefined();
    expect(valueAt(rig, "game.trim_db.deeper")).toBeUndefined();
  });
});
