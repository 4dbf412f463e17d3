/** The live link against a socket that the test holds. */

import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import {
  answerWithTheSchema,
  holdTheSocket,
  newest,
  StandInSocket as Socket,
} from "./standInSocket";

async function load() {
  vi.resetModules();
  const link = await import("./link");
  const { useLive } = await import("./store");
  const { readings } = await import("./readings");
  return { ...link, live: useLive.getState, readings };
}

beforeEach(() => {
  vi.useFakeTimers();
  holdTheSocket();
  answerWithTheSchema();
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("the live link", () => {
  it("comes back by itself, waiting longer each time, and forgets what it measured", async () => {
    const { connect, live, readings } = await load();
    connect();
    expect(newest().address).toBe("ws://127.0.0.1:8610/api/live");
    newest().open();
    newest().say({ type: "levels", stations: {} });
    expect(live().status).toBe("open");
    expect(readings.levels).not.toBeNull();

    newest().close();
    expect(live().status).toBe("lost");
    expect(readings.levels).toBeNull();
    vi.advanceTimersByTime(260);
    expect(Socket.made).toHaveLength(2);
    newest().close();
    vi.advanceTimersByTime(260);
    expect(Socket.made).toHaveLength(2);
    vi.advanceTimersByTime(260);
    expect(Socket.made).toHaveLength(3);
    newest().open();
    expect(live().status).toBe("open");
  });

  it("shows only what the server says", async () => {
    const { connect, setSetting, live } = await load();
    connect();
    newest().open();
    newest().say({
      type: "state",
      rig: { targets: { game_clearance_db: 8 } },
      is_engine_running: true,
    });
    setSetting("targets.game_clearance_db", 3);
    expect(newest().sent).toEqual([
      { type: "set", path: "targets.game_clearance_db", value: 3, is_nudge: false },
    ]);
    expect(live().state?.rig.targets.game_clearance_db).toBe(8);
    newest().say({ type: "refused", code: "bad_setting", text: "Too loud.", field: "" });
    expect(live().messages.map(({ text }) => text)).toEqual(["Too loud."]);
  });

  it("lets news take the place of the trouble that they end, and of no other", async () => {
    const { connect, live } = await load();
    connect();
    newest().open();
    const said = () => live().messages.map(({ text }) => text);
    newest().say({ type: "notice", level: "trouble", text: "Not taken yet.", about: "change" });
    newest().say({ type: "notice", level: "trouble", text: "A disk is full.", about: "" });
    newest().say({ type: "notice", level: "news", text: "Heard now.", about: "change" });
    expect(said()).toEqual(["A disk is full.", "Heard now."]);
    vi.advanceTimersByTime(20_000);
    expect(said()).toEqual(["A disk is full."]);
  });

  it("sends no more tries than the sound can follow, but every change that is to be kept", async () => {
    const { connect, trySetting, nudgeSetting } = await load();
    connect();
    newest().open();
    for (let i = 0; i < 100; i++) {
      trySetting("game.trim_db", i);
      vi.advanceTimersByTime(5);
    }
    const tries = newest().sent.length;
    expect(tries).toBeGreaterThan(10);
    expect(tries).toBeLessThan(20);
    for (let i = 0; i < 5; i++) nudgeSetting("game.trim_db", i);
    expect(newest().sent).toHaveLength(tries + 5);
  });

  it("says so when a change cannot be sent", async () => {
    const { connect, setSetting, live } = await load();
    connect();
    setSetting("targets.game_clearance_db", 3);
    setSetting("game.trim_db", -4);
    expect(live().messages).toHaveLength(1);
    expect(live().messages[0]?.text).toContain("Not changed");
  });

  it("marks levels as stale when readings stop", async () => {
    const { connect, readings } = await load();
    connect();
    newest().open();
    const message = {
      type: "readings",
      activity: [1],
      activities: {},
      stages: { gate: { is_open: true }, game_ducker: { gain_reduction_db: 6 } },
    };
    newest().say({
      ...message,
      rms_dbfs: { microphone: [-30] },
      peak_dbfs: { microphone: [-20] },
      ceilings: {},
      inputs: {},
    });
    expect(readings.reduction.get("game_ducker")?.at(299)).toBe(6);
    expect(readings.livePeak("microphone")).toBe(-20);
    expect(readings.isOpen.get("gate")?.at(299)).toBe(1);
    vi.advanceTimersByTime(600);
    expect(readings.livePeak("microphone")).toBe(-120);
  });
});
