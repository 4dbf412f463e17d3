/** Ways to be silent, against a socket that the test holds: what is said of them is what has come of them. */

import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import {
  answerWithTheSchema,
  holdTheSocket,
  newest,
  StandInSocket as Socket,
} from "./standInSocket";

const rig = (changes: object = {}, isMuted = false) => ({
  chained: "voice",
  is_on_break: false,
  inputs: [{ id: "voice", is_muted: isMuted, chain: [] }],
  ...changes,
});
const state = (plan: number, isRig: object) =>
  newest().say({ type: "state", plan, is_engine_running: true, rig: isRig });

/** The engine's readings under a plan, and the figures with them. */
function heard(plan: number) {
  const none = { activities: {}, rms_dbfs: {}, peak_dbfs: {}, stages: {}, ceilings: {} };
  newest().say({ type: "readings", plan, activity: [], inputs: {}, ...none });
  newest().say({ type: "levels", engine: { blocks: plan } });
}

const region = { setAttribute: () => undefined, className: "", textContent: "" };

async function load() {
  vi.resetModules();
  const { connect } = await import("./link");
  const silence = await import("./silence");
  connect();
  newest().open();
  state(3, rig());
  heard(3);
  return silence;
}

beforeEach(() => {
  vi.useFakeTimers();
  holdTheSocket();
  answerWithTheSchema();
  region.textContent = "";
  vi.stubGlobal("document", { createElement: () => region, body: { append: () => undefined } });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("ways to be silent", () => {
  it("mute is said when the engine works by it, once", async () => {
    const { toggleMute } = await load();
    toggleMute();
    expect(newest().sent).toEqual([
      { type: "set", path: "inputs.voice.is_muted", value: true, is_nudge: false },
    ]);
    heard(3);
    state(4, rig({}, true));
    expect(region.textContent).toBe("");
    heard(4);
    expect(region.textContent).toBe("Your voice is muted for everyone");
    region.textContent = "";
    heard(5);
    vi.advanceTimersByTime(20_000);
    expect(region.textContent).toBe("");
  });
  it("what the engine does not hear is said not to be so yet", async () => {
    const { toggleBreak } = await load();
    toggleBreak();
    state(4, rig({ is_on_break: true }));
    vi.advanceTimersByTime(2_900);
    expect(region.textContent).toBe("");
    vi.advanceTimersByTime(200);
    expect(region.textContent).toBe("Not yet: Break: viewers hear only the music");
    vi.advanceTimersByTime(20_000);
    heard(4);
    expect(region.textContent).toBe("Break: viewers hear only the music");
    region.textContent = "";
    heard(5);
    expect(region.textContent).toBe("");
  });
  it("what was called off by a newer wish is not said, nor what comes after a minute", async () => {
    const { toggleMute } = await load();
    toggleMute();
    state(4, rig({}, true));
    vi.advanceTimersByTime(3_100);
    toggleMute();
    region.textContent = "";
    heard(4);
    expect(region.textContent).toBe("");
    state(5, rig());
    heard(5);
    expect(region.textContent).toBe("Your voice is back");
    toggleMute();
    state(6, rig({}, true));
    vi.advanceTimersByTime(70_000);
    region.textContent = "";
    heard(6);
    expect(region.textContent).toBe("");
  });
  it("nothing is said of what could not be asked, nor asked where there is no voice", async () => {
    const { toggleMute } = await load();
    state(4, rig({ chained: "" }));
    toggleMute();
    expect(newest().sent).toEqual([]);
    state(5, rig());
    newest().close();
    toggleMute();
    const { useLive } = await import("./store");
    expect(useLive.getState().messages[0]?.text).toMatch(/^Not changed/);
    vi.advanceTimersByTime(20_000);
    expect(region.textContent).toBe("");
  });
  it("a held key asks once, however often it repeats, and ends once", async () => {
    const { cough } = await load();
    [true, true, true, false, false].forEach(cough);
    expect(newest().sent).toEqual([
      { type: "cough", is_on: true },
      { type: "cough", is_on: false },
    ]);
  });
  it("a key that is held while the connection breaks is told to the next one", async () => {
    const { cough } = await load();
    cough(true);
    newest().close();
    vi.advanceTimersByTime(260);
    expect(Socket.made).toHaveLength(2);
    newest().open();
    expect(newest().sent).toEqual([{ type: "cough", is_on: true }]);
    cough(false);
    newest().close();
    vi.advanceTimersByTime(260);
    newest().open();
    expect(newest().sent).toEqual([]);
  });
});
