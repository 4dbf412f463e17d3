import { expect, it } from "vitest";
import { withValue } from "./tried";

it("changes what lies at a path, and leaves all else the very same", () => {
  const gate = { id: "gate", settings: { range_db: 12, hold_ms: 50 } };
  const rig = {
    inputs: [
      { id: "voice", chain: [{ id: "trim", settings: {} }, gate] },
      { id: "game", chain: [] },
    ],
    targets: { game_clearance_db: 9 },
  };
  const changed = withValue(rig, "inputs.voice.chain.gate.settings.range_db".split("."), 20);
  expect(changed).toEqual({
    ...rig,
    inputs: [
      {
        id: "voice",
        chain: [
          { id: "trim", settings: {} },
          { id: "gate", settings: { range_db: 20, hold_ms: 50 } },
        ],
      },
      rig.inputs[1],
    ],
  });
  expect((changed as typeof rig).inputs[1]).toBe(rig.inputs[1]);
  expect((changed as typeof rig).targets).toBe(rig.targets);
  expect(withValue(rig, ["inputs", "gone", "fader_db"], 3)).toEqual(rig);
  expect(withValue(rig, ["unknown"], 3)).toBe(rig);
});
