/** A page that nobody sees, against a document and a socket that the test holds. */

import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import {
  answerWithTheSchema,
  holdTheSocket,
  newest,
  StandInSocket as Socket,
} from "./standInSocket";

const page = {
  visibilityState: "visible",
  listeners: [] as (() => void)[],
  addEventListener(name: string, listener: () => void) {
    if (name === "visibilitychange") this.listeners.push(listener);
  },
};

/** The window is covered, or can be seen again. */
function become(state: "visible" | "hidden") {
  page.visibilityState = state;
  for (const listener of page.listeners) listener();
}

const told = () =>
  (newest().sent as { type: string; is_on?: boolean }[])
    .filter(({ type }) => type === "be_shown")
    .map(({ is_on }) => is_on);

async function load() {
  vi.resetModules();
  const { connect } = await import("./link");
  const shown = await import("./shown");
  shown.sayWhetherShown();
  connect();
  return shown;
}

beforeEach(() => {
  vi.useFakeTimers();
  Object.assign(page, { visibilityState: "visible", listeners: [] });
  vi.stubGlobal("document", page);
  holdTheSocket();
  answerWithTheSchema();
});

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("a page", () => {
  it("says when it is hidden and when it is seen again", async () => {
    const { useIsShown } = await load();
    newest().open();
    expect(told(), "a page that is seen needs no word").toEqual([]);
    become("hidden");
    expect(useIsShown.getState()).toBe(false);
    become("visible");
    expect(useIsShown.getState()).toBe(true);
    expect(told()).toEqual([false, true]);
  });

  it("that was opened behind others says so as soon as it can", async () => {
    page.visibilityState = "hidden";
    const { useIsShown } = await load();
    expect(useIsShown.getState()).toBe(false);
    newest().open();
    expect(told()).toEqual([false]);
  });

  it("says it anew on every connection, and nothing while there is none", async () => {
    await load();
    newest().open();
    const first = newest();
    first.close();
    become("hidden");
    expect(JSON.stringify(first.sent)).not.toContain("be_shown");
    await vi.advanceTimersByTimeAsync(3000);
    expect(Socket.made.length).toBe(2);
    newest().open();
    expect(told()).toEqual([false]);
  });
});
