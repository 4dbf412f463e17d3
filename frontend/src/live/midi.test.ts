import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Rig, SettingsSchema, State } from "../api/client";
import { boundTo, goalOf, heardOf } from "./midi";

const link = { setSetting: vi.fn(), setTogether: vi.fn(), trySetting: vi.fn() };

/** The module with a rig in which a fader goes from -60 to +12 dB in steps of 0.5. */
async function withRig(midi: string[]) {
  vi.resetModules();
  vi.doMock("./link", () => link);
  const { useLive } = await import("./store");
  const rig = { midi, game: { fader_db: 0, name: "Game" } } as unknown as Rig;
  const range = { minimum: -60, maximum: 12, step: 0.5, default: 0 };
  const schema = { properties: { game: { properties: { fader_db: range } } } };
  useLive.setState({
    state: { rig } as State,
    known: { schema, defaults: rig } as unknown as SettingsSchema,
  });
  return await import("./midi");
}

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("window", globalThis);
  for (const one of Object.values(link)) one.mockReset();
});
afterEach(() => {
  vi.doUnmock("./link");
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

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

  it("learns from the next control that is moved or pressed, not from one that is let go", async () => {
    const { obey, useMidi } = await withRig(["control 1 7: mute"]);
    useMidi.setState({ learning: "game.fader_db" });
    obey({ control: "control 1 7", value: 0 }, () => undefined);
    expect(link.setTogether).not.toHaveBeenCalled();
    obey({ control: "control 1 7", value: 3 }, () => undefined);
    expect(link.setTogether).toHaveBeenCalledWith({ midi: ["control 1 7: game.fader_db"] });
    expect(useMidi.getState().learning).toBe("");
  });

  it("moves a setting over its whole way, hears it at once and keeps it when it rests", async () => {
    const { obey } = await withRig(["control 1 7: game.fader_db"]);
    const nothing = () => undefined;
    for (const value of [0, 64, 127]) obey({ control: "control 1 7", value }, nothing);
    expect(link.trySetting.mock.calls.map(([, value]) => value)).toEqual([-60, -23.5, 12]);
    vi.advanceTimersByTime(300);
    expect(link.setSetting).not.toHaveBeenCalled();
    vi.advanceTimersByTime(200);
    expect(link.setSetting.mock.calls).toEqual([["game.fader_db", 12]]);
  });

  it("does what keys do once for each press, and ends what is held", async () => {
    const { obey } = await withRig([
      "note 1 36: cough",
      "note 1 37: nowhere",
      "note 1 38: game.name",
    ]);
    const run = vi.fn();
    const end = vi.fn();
    const actionOf = (id: string) => (id === "cough" ? { run, end } : undefined);
    for (const value of [100, 110, 127, 90]) obey({ control: "note 1 36", value }, actionOf);
    expect(run, "the weight of a finger changes while it presses").toHaveBeenCalledTimes(1);
    obey({ control: "note 1 36", value: 0 }, actionOf);
    expect(end).toHaveBeenCalledTimes(1);
    obey({ control: "note 1 36", value: 0 }, actionOf);
    expect(end).toHaveBeenCalledTimes(1);
    // What is not there, is no number, or was never given to it, is left alone.
    for (const note of [37, 38, 39]) obey({ control: `note 1 ${note}`, value: 100 }, actionOf);
    expect(link.trySetting).not.toHaveBeenCalled();
  });

  it("is asked of the browser, and what it lacks or refuses is said with what to do", async () => {
    const { openControllers, useMidi } = await withRig(["control 1 7: game.fader_db"]);
    const { useLive } = await import("./store");
    const said = () => useLive.getState().messages.at(-1)?.text;
    vi.stubGlobal("navigator", {});
    await openControllers(() => undefined);
    expect(said()).toContain("does not support MIDI");
    vi.stubGlobal("navigator", { requestMIDIAccess: () => Promise.reject(new Error("no")) });
    await openControllers(() => undefined);
    expect(said()).toContain("Allow it for this page");
    expect(useMidi.getState().isOn).toBe(false);

    type Input = { name: string | null; onmidimessage?: (event: { data: number[] }) => void };
    const inputs = new Map<string, Input>([["1", { name: "Pads" }]]);
    const access = { inputs, onstatechange: () => undefined };
    vi.stubGlobal("navigator", { requestMIDIAccess: () => Promise.resolve(access) });
    await openControllers(() => undefined);
    expect(useMidi.getState()).toMatchObject({ isOn: true, names: ["Pads"] });
    inputs.set("2", { name: null });
    access.onstatechange();
    expect(useMidi.getState().names).toEqual(["Pads", "a controller"]);
    inputs.get("2")?.onmidimessage?.({ data: [0xb0, 7, 127] });
    expect(link.trySetting).toHaveBeenCalledWith("game.fader_db", 12);
  });
});
