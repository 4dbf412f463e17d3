/** A recording is played from pieces that follow each other to the sample; what goes wrong is said. */

import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

const LENGTH_S = 10;

/** A sound card that the test turns: its time is what the pieces are laid on. */
class Card {
  static one: Card;
  currentTime = 100;
  destination = {};
  started: { when: number; seconds: number; isStopped: boolean }[] = [];
  constructor() {
    Card.one = this;
  }
  createGain = () => ({ gain: { value: 1 }, connect: () => undefined });
  createBufferSource() {
    const laid = { when: 0, seconds: 0, isStopped: false };
    const node = {
      buffer: { seconds: 0 },
      connect: () => undefined,
      start: (when: number) => {
        Object.assign(laid, { when, seconds: node.buffer.seconds });
        this.started.push(laid);
      },
      stop: () => (laid.isStopped = true),
      onended: () => undefined,
    };
    return node;
  }
  resume = () => Promise.resolve();
  decodeAudioData = (sound: { seconds: number }) => Promise.resolve(sound);
}

let asked: URLSearchParams[] = [];
let refusal: string | null = null;

async function load() {
  vi.resetModules();
  const player = await import("./recordingPlayer");
  const { useLive } = await import("./store");
  return { ...player, now: player.usePlayer.getState, said: () => useLive.getState().messages };
}

/** Let so much be played; what was asked for arrives at once. */
async function pass(seconds: number) {
  for (let n = 0; n < seconds * 10; n++) {
    Card.one.currentTime += 0.1;
    await vi.advanceTimersByTimeAsync(100);
  }
}

beforeEach(() => {
  vi.useFakeTimers();
  asked = [];
  refusal = null;
  vi.stubGlobal("window", globalThis);
  vi.stubGlobal("AudioContext", Card);
  vi.stubGlobal("fetch", (address: string) => {
    const query = new URLSearchParams(address.split("?")[1]);
    asked.push(query);
    return Promise.resolve({
      ok: refusal === null,
      json: () => Promise.resolve({ detail: refusal }),
      arrayBuffer: () => Promise.resolve({ seconds: Number(query.get("seconds")) }),
    });
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("a recording", () => {
  it("is played to its end in pieces without a gap, and stands there", async () => {
    const { openRecording, play, now } = await load();
    openRecording("one", LENGTH_S);
    play();
    await pass(LENGTH_S + 1);
    const { started } = Card.one;
    expect(started.map(({ seconds }) => seconds)).toEqual([1.5, 4, 4, 0.5]);
    started.slice(1).forEach(({ when }, n) => {
      const before = started[n];
      expect(when).toBeCloseTo((before?.when ?? 0) + (before?.seconds ?? 0), 9);
    });
    expect(asked.map((query) => Number(query.get("from_s")))).toEqual([0, 1.5, 5.5, 9.5]);
    expect(now()).toMatchObject({ isPlaying: false, at: LENGTH_S });
  });

  it("is fetched no farther ahead than it is to be heard soon", async () => {
    const { openRecording, play } = await load();
    openRecording("one", 3600);
    play();
    await pass(1);
    expect(Card.one.started.reduce((sum, { seconds }) => sum + seconds, 0)).toBeLessThan(12);
  });

  it("goes on from the same place when it is heard another way, and what was laid is stopped", async () => {
    const { openRecording, play, hear, now } = await load();
    openRecording("one", LENGTH_S);
    play();
    await pass(2);
    const before = now().at;
    expect(before).toBeGreaterThan(1.5);
    hear({ way: "came" });
    expect(Card.one.started.every(({ isStopped }) => isStopped)).toBe(true);
    await pass(0.2);
    expect(asked.at(-1)?.get("way")).toBe("came");
    const first = asked.find((query) => query.get("way") === "came");
    expect(Number(first?.get("from_s"))).toBeCloseTo(before, 6);
    expect(now().isPlaying).toBe(true);
  });

  it("plays a piece over and over, from its beginning", async () => {
    const { openRecording, play, hear, now } = await load();
    openRecording("one", LENGTH_S);
    hear({ piece: { from: 3, to: 5 }, isLooping: true });
    play();
    await pass(9);
    const places = asked.map((query) => [
      Number(query.get("from_s")),
      Number(query.get("from_s")) + Number(query.get("seconds")),
    ]);
    expect(Math.min(...places.flat())).toBe(3);
    expect(Math.max(...places.flat())).toBe(5);
    expect(now()).toMatchObject({ isPlaying: true });
    expect(now().at).toBeGreaterThanOrEqual(3);
    expect(now().at).toBeLessThanOrEqual(5);
  });

  it("that cannot be played says the server's sentence, and stands still", async () => {
    const { openRecording, play, now, said } = await load();
    refusal = "The track cannot be read. Look into its folder.";
    openRecording("one", LENGTH_S);
    play();
    await pass(0.3);
    expect(now().isPlaying).toBe(false);
    expect(said().map(({ level, text }) => [level, text])).toEqual([["trouble", refusal]]);
  });

  it("gives way to another, which begins at its start", async () => {
    const { openRecording, play, seek, now } = await load();
    openRecording("one", LENGTH_S);
    seek(99);
    expect(now().at, "not beyond its end").toBe(LENGTH_S);
    play();
    await pass(1);
    expect(now().at, "from its end it begins anew").toBeLessThan(2);
    openRecording("other", LENGTH_S);
    expect(now()).toMatchObject({ id: "other", at: 0, isPlaying: false });
    openRecording("other", LENGTH_S + 1);
    expect(now().at).toBe(0);
  });
});
