/** The audio worklet that plays the feed, on a sound card that the test turns. */

import { readFileSync } from "node:fs";
import { beforeEach, describe, expect, it } from "vitest";

type Report = { fillMs: number; underruns: number; overruns: number };
type Player = {
  port: {
    onmessage: (event: { data: ArrayBuffer }) => void;
    postMessage: (report: Report) => void;
  };
  process: (inputs: unknown[], outputs: Float32Array[][]) => boolean;
};

const FRAMES = 128;
const TONE = Array.from({ length: 48 }, (_, n) => 0.1 * Math.sin((2 * Math.PI * n) / 48));
const source = readFileSync(new URL("../../public/player.js", import.meta.url), "utf8");

function makePlayer(sampleRate: number): { player: Player; reports: Report[] } {
  let made: (new () => Player) | undefined;
  const reports: Report[] = [];
  class Processor {
    port = { onmessage: () => undefined, postMessage: (report: Report) => reports.push(report) };
  }
  new Function("AudioWorkletProcessor", "registerProcessor", "sampleRate", source)(
    Processor,
    (_name: string, type: new () => Player) => (made = type),
    sampleRate,
  );
  if (!made) throw new Error("no processor was registered");
  return { player: new made(), reports };
}

/** Feeds a tone of 1 kHz at the server's clock and plays it at the card's; keeps the last seconds that were played. */
class Evening {
  private sent = 0;
  played: number[] = [];
  constructor(
    readonly player: Player,
    readonly sampleRate: number,
    readonly serverHz = 48000,
  ) {}

  send(frames: number) {
    const packet = new Float32Array(frames * 2);
    for (let n = 0; n < frames; n++) {
      packet[2 * n] = packet[2 * n + 1] = TONE[(this.sent + n) % TONE.length] ?? 0;
    }
    this.sent += frames;
    this.player.port.onmessage({ data: packet.buffer });
  }

  /** In each second the network holds back for `stallS`, and gives all at once then. */
  run(seconds: number, isSending = true, stallS = 0) {
    const blocks = Math.round((seconds * this.sampleRate) / FRAMES);
    let due = this.sent;
    for (let i = 0; i < blocks; i++) {
      due += (FRAMES / this.sampleRate) * this.serverHz;
      const isHeldBack = ((i * FRAMES) / this.sampleRate) % 1 < stallS;
      while (isSending && !isHeldBack && this.sent + 480 <= due) this.send(480);
      const out = [new Float32Array(FRAMES), new Float32Array(FRAMES)];
      this.player.process([], [out]);
      this.played.push(...(out[0] ?? []));
      if (this.played.length > 4 * this.sampleRate) this.played.splice(0, 3 * this.sampleRate);
    }
  }

  /** Frequency of the last second that was played, from its zero crossings. */
  playedHz(): number {
    const last = this.played.slice(-this.sampleRate);
    const crossings = last.filter((value, i) => i && value >= 0 !== (last[i - 1] ?? 0) >= 0);
    return crossings.length / 2;
  }
}

describe("the player", () => {
  let made: ReturnType<typeof makePlayer>;
  beforeEach(() => {
    made = makePlayer(48000);
  });
  const newest = () => made.reports[made.reports.length - 1];

  it("is silent before there is sound, and starts when enough waits", () => {
    const evening = new Evening(made.player, 48000);
    evening.run(0.2, false);
    expect(Math.max(...evening.played)).toBe(0);
    evening.run(3);
    expect(Math.max(...evening.played.slice(-4800))).toBeCloseTo(0.1, 3);
    expect(newest()?.underruns).toBe(0);
  });

  it("follows a server whose clock is 500 ppm off, without gaps", () => {
    for (const ppm of [-500, 500]) {
      made = makePlayer(48000);
      const evening = new Evening(made.player, 48000, 48000 * (1 + ppm * 1e-6));
      evening.run(60);
      expect(newest()?.underruns).toBe(0);
      expect(newest()?.fillMs).toBeGreaterThan(20);
      expect(newest()?.fillMs).toBeLessThan(110);
    }
  });

  it("plays at the right pitch on a card of another rate", () => {
    made = makePlayer(44100);
    const evening = new Evening(made.player, 44100);
    evening.run(4);
    expect(evening.playedHz()).toBeGreaterThan(990);
    expect(evening.playedHz()).toBeLessThan(1010);
  });

  it("counts a gap, waits for more from then on, and goes on", () => {
    const evening = new Evening(made.player, 48000);
    evening.run(2);
    evening.run(0.5, false);
    evening.run(2);
    expect(newest()?.underruns).toBe(1);
    expect(Math.max(...evening.played.slice(-4800))).toBeCloseTo(0.1, 3);
  });

  it("does not try again and again to get by with less than a network of bursts needs", () => {
    const evening = new Evening(made.player, 48000);
    const underruns = [0, 0].map(() => {
      evening.run(180, true, 0.05);
      return newest()?.underruns ?? 0;
    });
    const [first = 0, both = 0] = underruns;
    expect(first).toBeGreaterThan(0); // the material is a test
    expect(both - first).toBeLessThanOrEqual(1);
  });

  it("skips what piled up in a stall instead of staying late", () => {
    const evening = new Evening(made.player, 48000);
    evening.run(2);
    evening.send(40000);
    evening.run(1);
    expect(newest()?.overruns).toBe(1);
    expect(newest()?.fillMs).toBeLessThan(120);
  });
});
