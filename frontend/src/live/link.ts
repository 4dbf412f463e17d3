/** The live link to the server: reconnects by itself, and never shows what the server did not say. */

import {
  fetchSchema,
  type FromPage,
  type FromServer,
  type Mend,
  type Improvement,
} from "../api/client";
import { liveAddress } from "./address";
import { readings } from "./readings";
import { say, tell, useLive } from "./store";
import { withTried } from "./tried";
import { fromServer, t } from "../text/text";

const RETRY_MS = [250, 500, 1000, 2000];
const TRY_EVERY_MS = 33;

let socket: WebSocket | null = null;
let attempts = 0;

export function connect() {
  socket = new WebSocket(liveAddress("/api/live"));
  socket.onopen = () => {
    attempts = 0;
    useLive.setState({ status: "open" });
    void loadSchema();
  };
  socket.onmessage = (event: MessageEvent<string>) => {
    const message: FromServer = fromServer(JSON.parse(event.data));
    take(message);
  };
  socket.onclose = () => {
    readings.forget();
    useLive.setState({ status: "lost" });
    const wait = RETRY_MS[Math.min(attempts, RETRY_MS.length - 1)];
    attempts += 1;
    window.setTimeout(connect, wait);
  };
}

async function loadSchema() {
  try {
    useLive.setState({ known: await fetchSchema() });
  } catch (error) {
    tell(error);
  }
}

function take(message: FromServer) {
  switch (message.type) {
    case "state":
      useLive.setState({ state: message });
      if (!message.is_engine_running) readings.forget();
      return;
    case "tried":
      useLive.setState(({ state }) => ({ state: state && withTried(state, message) }));
      return;
    case "readings":
      readings.takeReadings(message);
      return;
    case "history":
      readings.takeHops(message);
      return;
    case "levels":
      readings.takeLevels(message);
      return;
    case "lamps":
      readings.takeLamps(message);
      return;
    case "spectra":
      readings.takeSpectra(message);
      return;
    case "sound_check":
      useLive.setState({ soundCheck: message });
      return;
    case "balance":
      useLive.setState({ balance: message });
      return;
    case "recording":
      useLive.setState({ recording: message });
      return;
    case "watch":
      useLive.setState({ watch: message });
      return;
    case "notice":
      say(message.level, message.text, message.about);
      return;
    case "refused":
      say("trouble", message.text);
  }
}

/** Ask something of the server; what comes of it shows in the next state or levels. False: it could not be asked, and that was said. */
export function ask(message: FromPage): boolean {
  if (socket?.readyState === WebSocket.OPEN) {
    socket.send(JSON.stringify(message));
    return true;
  }
  say("trouble", t("live.notChangedNoConnectionTo"));
  return false;
}

type Value = number | boolean | string;
let lastTry = 0;

/** Hear a value while it is dragged; too quick ones are left out, since the last is always set. */
export function trySetting(path: string, value: Value) {
  const now = performance.now();
  if (now - lastTry < TRY_EVERY_MS) return;
  lastTry = now;
  ask({ type: "try", path, value });
}

/** Hear several values while a point is dragged. */
export function tryTogether(changes: Record<string, Value>) {
  const now = performance.now();
  if (now - lastTry < TRY_EVERY_MS) return;
  lastTry = now;
  ask({ type: "try_together", changes });
}

/** Change and save several settings as one step. */
export function setTogether(changes: Improvement["changes"]) {
  ask({ type: "set_together", changes });
}

/** Change and save a setting. */
export function setSetting(path: string, value: Value): boolean {
  return ask({ type: "set", path, value, is_nudge: false });
}

/** Change and save by a small step: a run of them is undone at once. */
export function nudgeSetting(path: string, value: Value) {
  ask({ type: "set", path, value, is_nudge: true });
}

/** Do what mends a finding: several settings as one step, or a virtual device that is to pass sound as it is. */
export function mendBy(mend: Mend) {
  if (mend.unity) ask({ type: "set_unity", key: mend.unity });
  if (Object.keys(mend.changes).length) setTogether(mend.changes);
}

export const undo = () => ask({ type: "undo" });
export const redo = () => ask({ type: "redo" });
