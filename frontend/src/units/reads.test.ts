import { describe, expect, it } from "vitest";
import type { SettingInfo } from "../api/settings";
import { nowSentence, rangeSentence } from "./reads";

const info: SettingInfo = {
  label: "Range",
  help: "",
  unit: "dB",
  minimum: -6,
  maximum: 80,
  step: 0.5,
  taper: "linear",
  options: [],
  defaultValue: 18,
  reads: [
    [-6, "is hardly heard"],
    [24, "is silence"],
  ],
};

describe("a setting's help", () => {
  it("says what the present value does, from the value at which it begins", () => {
    expect(nowSentence(23.9, info, 1)).toBe("Now 23.9 dB: is hardly heard.");
    expect(nowSentence(24, info, 1)).toBe("Now 24.0 dB: is silence.");
    expect(nowSentence(-7, info, 1)).toBe("Now −7.0 dB: is hardly heard.");
    expect(nowSentence(3, { ...info, reads: [] }, 1)).toBe("Now 3.0 dB.");
  });
  it("says the range, and where it stood at first", () => {
    expect(rangeSentence(info, 1)).toBe(
      "From −6.0 to 80.0 dB; default 18.0 dB. Arrow keys change it by 0.5.",
    );
  });
});
