import { beforeEach, describe, expect, it, vi } from "vitest";

const kept = new Map<string, string>();
const storage = {
  getItem: (name: string) => kept.get(name) ?? null,
  setItem: (name: string, value: string) => kept.set(name, value),
};
vi.stubGlobal("localStorage", storage);
vi.stubGlobal("document", { documentElement: { dataset: {} } });
const { ACTIONS, actionOf, chooseKey, keyLabel, keyName, usualKeys } = await import("./keyMap");

const pressed = (key: string, shiftKey = false) => keyName({ key, shiftKey });

describe("keys", () => {
  beforeEach(usualKeys);

  it("are each for one action, all named, and found by what is pressed", () => {
    const usual = ACTIONS.map((action) => action.usual);
    expect(new Set(usual).size).toBe(usual.length);
    expect(actionOf(pressed("m"))?.id).toBe("mute");
    expect(actionOf(pressed("M", true))).toBeUndefined();
    expect(actionOf(pressed("R", true))?.id).toBe("record.stop");
    expect(pressed("Enter")).toBe("");
    expect(pressed("F9")).toBe("f9");
    expect(pressed("?", true)).toBe("?");
    expect(keyLabel("shift+r")).toBe("Shift R");
  });

  it("can be others for this visit where the browser keeps nothing", () => {
    const refuses = () => {
      throw new DOMException("", "SecurityError");
    };
    vi.stubGlobal("localStorage", { getItem: refuses, setItem: refuses });
    chooseKey("mute", "x");
    expect(actionOf("x")?.id).toBe("mute");
    usualKeys();
    expect(actionOf("m")?.id).toBe("mute");
    vi.stubGlobal("localStorage", storage);
  });

  it("can be others, are kept, and are taken from what had them", () => {
    chooseKey("mute", "k");
    expect(actionOf("k")?.id).toBe("mute");
    expect(actionOf("m")).toBeUndefined();
    expect(ACTIONS.filter((one) => actionOf("k") === one)).toHaveLength(1);
    expect(JSON.parse(kept.get("goshawk.keys") ?? "")).toEqual({ mute: "k", mark: "" });
    usualKeys();
    expect(actionOf("k")?.id).toBe("mark");
  });
});
