/** In tests, a socket that the test holds. */

import { vi } from "vitest";

export class StandInSocket {
  static readonly OPEN = 1;
  static made: StandInSocket[] = [];
  readyState = 0;
  bufferedAmount = 0;
  sent: unknown[] = [];
  onopen: () => void = () => undefined;
  onclose: () => void = () => undefined;
  onmessage: (event: { data: string | ArrayBuffer }) => void = () => undefined;
  constructor(readonly address: string) {
    StandInSocket.made.push(this);
  }
  send(data: string | ArrayBuffer) {
    this.sent.push(typeof data === "string" ? JSON.parse(data) : data);
  }
  open() {
    this.readyState = StandInSocket.OPEN;
    this.onopen();
  }
  close() {
    this.readyState = 3;
    this.onclose();
  }
  say(message: object) {
    this.onmessage({ data: JSON.stringify(message) });
  }
}

export const newest = () => StandInSocket.made.at(-1) as StandInSocket;

/** From here on the page's sockets are the test's; until `vi.unstubAllGlobals`. */
export function holdTheSocket() {
  StandInSocket.made = [];
  vi.stubGlobal("WebSocket", StandInSocket);
  vi.stubGlobal("location", { protocol: "http:", host: "127.0.0.1:8610" });
  vi.stubGlobal("window", globalThis);
}

/** The live link asks for the settings' schema once it is open. */
export const answerWithTheSchema = () =>
  vi.stubGlobal(
    "fetch",
    vi.fn(() => Promise.resolve({ ok: true, json: () => Promise.resolve({ schema: {} }) })),
  );
