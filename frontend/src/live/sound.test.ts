/** The sound link: what is asked of the server, when it is asked again, and what a microphone that is not given is told as. */

import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { holdTheSocket, newest, StandInSocket as Socket } from "./standInSocket";

/** A worklet's node: what is posted to it, and its end of the port. */
class Node {
  static made: Node[] = [];
  posted: unknown[] = [];
  isConnected = false;
  port = {
    postMessage: (data: unknown) => this.posted.push(data),
    onmessage: null as ((event: { data: unknown }) => void) | null,
  };
  constructor() {
    Node.made.push(this);
  }
  connect = () => (this.isConnected = true);
  disconnect = () => (this.isConnected = false);
}

const track = {
  stop: vi.fn(),
  onended: null as (() => void) | null,
  kept: {} as Record<string, boolean>,
  getSettings: () => track.kept,
};
const gain = { setTargetAtTime: vi.fn() };
const context = {
  sampleRate: 44_100,
  currentTime: 5,
  state: "running",
  audioWorklet: { addModule: () => Promise.resolve() },
  resume: vi.fn(() => Promise.resolve()),
  createMediaStreamSource: () => new Node(),
  onstatechange: (): void => undefined,
};

async function load() {
  vi.resetModules();
  vi.doMock("./player", () => ({
    makeContext: () => Promise.resolve(context),
    makePlayer: () => new Node(),
  }));
  const sound = await import("./sound");
  const { useLive } = await import("./store");
  return { ...sound, now: sound.useSound.getState, said: () => useLive.getState().messages };
}

const given = () => Promise.resolve({ getAudioTracks: () => [track], getTracks: () => [track] });
const refused = (name: string) => () => Promise.reject(new DOMException("", name));

beforeEach(() => {
  vi.useFakeTimers();
  holdTheSocket();
  Node.made = [];
  track.stop.mockReset();
  track.kept = {};
  gain.setTargetAtTime.mockReset();
  vi.stubGlobal("AudioWorkletNode", Node);
  vi.stubGlobal(
    "GainNode",
    class {
      gain = gain;
      connect = () => undefined;
    },
  );
  vi.stubGlobal("navigator", { mediaDevices: { getUserMedia: given } });
});
afterEach(() => {
  vi.doUnmock("./player");
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("listening", () => {
  it("asks for what is heard, and for another listener on the same link", async () => {
    const { listen, hearAs } = await load();
    hearAs("viewers");
    expect(Socket.made, "nobody listens yet").toHaveLength(0);
    await listen();
    newest().open();
    hearAs("input:game");
    expect(Socket.made).toHaveLength(1);
    expect(newest().sent).toEqual([
      { listen: true, hear: "viewers", microphone: null },
      { listen: true, hear: "input:game", microphone: null },
    ]);
    const packet = new ArrayBuffer(8);
    newest().onmessage({ data: packet });
    expect(Node.made.at(-1)?.posted).toEqual([packet]);
  });

  it("comes back by itself when the link is lost, and not when it was closed on purpose", async () => {
    const { listen, stopListening } = await load();
    await listen();
    newest().open();
    newest().close();
    await vi.advanceTimersByTimeAsync(600);
    expect(Socket.made).toHaveLength(2);
    newest().open();
    expect(newest().sent).toHaveLength(1);
    stopListening();
    await vi.advanceTimersByTimeAsync(5000);
    expect(Socket.made).toHaveLength(2);
    expect(Node.made.every(({ isConnected }) => !isConnected)).toBe(true);
  });

  it("says what the server refuses, and keeps a loudness of its own", async () => {
    const { listen, setPlayback, said, now } = await load();
    setPlayback(-20);
    expect(gain.setTargetAtTime).not.toHaveBeenCalled();
    await listen();
    expect(gain.setTargetAtTime).toHaveBeenLastCalledWith(expect.closeTo(0.1, 9), 5, 0.015);
    newest().open();
    newest().onmessage({
      data: JSON.stringify({ type: "refused", text: "There is no such input." }),
    });
    expect(said().at(-1)).toMatchObject({ level: "trouble", text: "There is no such input." });
    expect(now().isListening).toBe(true);
  });
});

describe("this browser's microphone", () => {
  it("is offered at its own rate, and old sound does not pile up on a slow link", async () => {
    const { openMicrophone } = await load();
    expect(await openMicrophone()).toBe(true);
    newest().open();
    const offered = { rate_hz: 44_100, channels: 2 };
    expect(newest().sent).toEqual([{ listen: false, hear: "you", microphone: offered }]);
    const [capture] = Node.made;
    const packet = new ArrayBuffer(16);
    capture?.port.onmessage?.({ data: packet });
    newest().bufferedAmount = 300_000;
    capture?.port.onmessage?.({ data: packet });
    expect(newest().sent.slice(1)).toEqual([packet]);
  });

  it("is opened once by a double press", async () => {
    const { openMicrophone } = await load();
    const asked = vi.fn(given);
    vi.stubGlobal("navigator", { mediaDevices: { getUserMedia: asked } });
    expect(await Promise.all([openMicrophone(), openMicrophone()])).toEqual([true, true]);
    expect(await openMicrophone()).toBe(true);
    expect(asked).toHaveBeenCalledOnce();
    expect(Node.made.filter((node) => node.port.onmessage)).toHaveLength(1);
  });

  it.each([
    ["NotAllowedError", "Allow it next to the page's address"],
    ["NotFoundError", "Plug one in"],
    ["NotReadableError", "Close that"],
    ["AbortError", "Choose another source"],
  ])("that is not given (%s) is told with what to do", async (name, sentence) => {
    const { openMicrophone, said, now } = await load();
    vi.stubGlobal("navigator", { mediaDevices: { getUserMedia: refused(name) } });
    expect(await openMicrophone()).toBe(false);
    expect(said().at(-1)?.text).toContain(sentence);
    expect(now().isMicrophoneOpen).toBe(false);
    expect(Socket.made).toHaveLength(0);
  });

  it("is not lost by leaving the page unasked, and goes on after an interruption", async () => {
    const { openMicrophone, closeMicrophone } = await load();
    await openMicrophone();
    const leaving = { preventDefault: vi.fn() };
    globalThis.window.onbeforeunload?.(leaving as never);
    expect(leaving.preventDefault).toHaveBeenCalledOnce();
    context.resume.mockClear();
    context.onstatechange();
    expect(context.resume).not.toHaveBeenCalled();
    context.state = "interrupted";
    context.onstatechange();
    expect(context.resume).toHaveBeenCalledOnce();
    closeMicrophone();
    context.onstatechange();
    expect(context.resume).toHaveBeenCalledOnce();
    expect(globalThis.window.onbeforeunload).toBeNull();
    context.state = "running";
  });

  it("is told when the browser treats it itself, and when it is unplugged, which closes it", async () => {
    const { openMicrophone, said, now } = await load();
    track.kept = { noiseSuppression: true };
    await openMicrophone();
    newest().open();
    expect(said().at(-1)?.text).toContain("processed twice");
    track.onended?.();
    expect(said().at(-1)?.text).toContain("unplugged");
    expect(track.stop).toHaveBeenCalledTimes(1);
    expect(now().isMicrophoneOpen).toBe(false);
    expect(newest().readyState).toBe(3);
  });
});
