import { beforeEach, describe, expect, it, vi } from "vitest";

const kept = new Map<string, string>();
vi.stubGlobal("localStorage", {
  getItem: (name: string) => kept.get(name) ?? null,
  setItem: (name: string, value: string) => kept.set(name, value),
});
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
