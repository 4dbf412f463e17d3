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
  newest().say({ type: "lamps", plan, reach: {} });
  newest().say({ type: "levels", engine: { blocks: plan } });
}

/** The page's region for what is spoken, and its lines. */
type Line = { textContent: string; remove: () => void };
let lines: Line[] = [];
const element = () => {
  const made = { textContent: "", className: "", setAttribute: () => undefined };
  const remove = () => (lines = lines.filter((line) => line !== whole));
  const whole = { ...made, remove, append: (line: Line) => lines.push(line) };
  return whole;
};

/** What was spoken since it was asked last. */
const said = () => {
  const texts = lines.map((line) => line.textContent);
  lines = [];
  return texts;
};

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
  lines = [];
  vi.stubGlobal("document", { createElement: element, body: { append: () => undefined } });
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
    expect(said()).toEqual([]);
    heard(4);
    expect(said()).toEqual(["Your voice is muted for everyone"]);
    heard(5);
    vi.advanceTimersByTime(20_000);
    expect(said()).toEqual([]);
  });
  it("what the engine does not hear is said not to be so yet", async () => {
    const { toggleBreak } = await load();
    toggleBreak();
    state(4, rig({ is_on_break: true }));
    vi.advanceTimersByTime(2_900);
    expect(said()).toEqual([]);
    vi.advanceTimersByTime(200);
    expect(said()).toEqual(["Not yet: Break: viewers hear only the music"]);
    vi.advanceTimersByTime(20_000);
    heard(4);
    expect(said()).toEqual(["Break: viewers hear only the music"]);
    heard(5);
    expect(said()).toEqual([]);
  });
  it("what was called off by a newer wish is not said, nor what comes after a minute", async () => {
    const { toggleMute } = await load();
    toggleMute();
    state(4, rig({}, true));
    vi.advanceTimersByTime(3_100);
    toggleMute();
    expect(said()).toEqual(["Not yet: Your voice is muted for everyone"]);
    heard(4);
    expect(said()).toEqual([]);
    state(5, rig());
    heard(5);
    expect(said()).toEqual(["Your voice is unmuted"]);
    toggleMute();
    state(6, rig({}, true));
    vi.advanceTimersByTime(3_100);
    expect(said()).toEqual(["Not yet: Your voice is muted for everyone"]);
    vi.advanceTimersByTime(70_000);
    heard(6);
    expect(said()).toEqual([]);
  });
  it("what is undone before it is heard is not said, then or when it comes back for another reason", async () => {
    const { toggleMute } = await load();
    toggleMute();
    state(4, rig({}, true));
    state(5, rig());
    vi.advanceTimersByTime(4_000);
    state(6, rig({}, true));
    heard(6);
    expect(said()).toEqual([]);
  });
  it("two sentences at once both stay to be said, and go", async () => {
    const { toggleMute, toggleBreak } = await load();
    toggleMute();
    toggleBreak();
    state(4, rig({ is_on_break: true }, true));
    heard(4);
    expect(lines.map((line) => line.textContent)).toEqual([
      "Your voice is muted for everyone",
      "Break: viewers hear only the music",
    ]);
    vi.advanceTimersByTime(5_000);
    expect(said()).toEqual([]);
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
    expect(said()).toEqual([]);
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
