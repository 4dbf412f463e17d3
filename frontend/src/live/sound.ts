/** The sound link: plays what a listener gets, or one input alone, and gives this browser's microphone. */

import { create } from "zustand";
import type { Refusal } from "../api/client";
import { liveAddress } from "./address";
import { makeContext, makePlayer } from "./player";
import { say } from "./store";
import { t } from "../text/text";

type Sound = {
  isListening: boolean;
  /** As which listener this page hears, or `input:` and the id of one input. */
  hear: string;
  isMicrophoneOpen: boolean;
  playbackDb: number;
  fillMs: number;
  underruns: number;
  overruns: number;
};

export const useSound = create<Sound>(() => ({
  isListening: false,
  hear: "you",
  isMicrophoneOpen: false,
  playbackDb: -8,
  fillMs: 0,
  underruns: 0,
  overruns: 0,
}));

let context: AudioContext | null = null;
let player: AudioWorkletNode | null = null;
let loudness: GainNode | null = null;
let stream: MediaStream | null = null;
let capture: AudioWorkletNode | null = null;
let socket: WebSocket | null = null;

const CHANNELS = 2;

async function audioContext(): Promise<AudioContext> {
  if (!context) {
    const made = await makeContext();
    // What the system has interrupted (sleep, another device, a call) goes on as soon as it may.
    made.onstatechange = () => {
      if (isWanted() && made.state !== "running" && made.state !== "closed") void made.resume();
    };
    context = made;
    await context.audioWorklet.addModule("/microphone.js");
  }
  await context.resume();
  return context;
}

function isWanted(): boolean {
  return useSound.getState().isListening || useSound.getState().isMicrophoneOpen;
}

/** Say what we want; opens the socket when it is needed and closes it when it is not. */
function follow() {
  if (!isWanted()) {
    socket?.close();
    socket = null;
    return;
  }
  if (socket?.readyState === WebSocket.OPEN) {
    request();
  } else if (!socket || socket.readyState > WebSocket.OPEN) {
    const fresh = new WebSocket(liveAddress("/api/audio"));
    socket = fresh;
    fresh.binaryType = "arraybuffer";
    fresh.onopen = request;
    fresh.onmessage = (event: MessageEvent<ArrayBuffer | string>) => {
      if (typeof event.data === "string") {
        const refused: Refusal = JSON.parse(event.data);
        say("trouble", refused.text);
      } else {
        player?.port.postMessage(event.data, [event.data]);
      }
    };
    fresh.onclose = () => {
      // Ours to reopen only if it was not replaced or closed on purpose.
      if (socket === fresh) window.setTimeout(follow, 500);
    };
  }
}

function request() {
  const { isListening, hear, isMicrophoneOpen } = useSound.getState();
  const microphone =
    isMicrophoneOpen && context ? { rate_hz: context.sampleRate, channels: CHANNELS } : null;
  socket?.send(JSON.stringify({ listen: isListening, hear, microphone }));
}

export async function listen() {
  const running = await audioContext();
  if (!player) {
    loudness = new GainNode(running);
    loudness.connect(running.destination);
    player = makePlayer(running, (report) => useSound.setState(report));
    player.connect(loudness);
    setPlayback(useSound.getState().playbackDb);
  }
  useSound.setState({ isListening: true });
  follow();
}

export function stopListening() {
  useSound.setState({ isListening: false });
  player?.disconnect();
  player = null;
  follow();
}

/** Hear as another listener, or one input alone; changes nothing that anyone else hears. */
export function hearAs(hear: string) {
  useSound.setState({ hear });
  if (useSound.getState().isListening) follow();
}

/** How loud this page plays; changes nothing that anyone else hears. */
export function setPlayback(playbackDb: number) {
  useSound.setState({ playbackDb });
  if (loudness && context) {
    loudness.gain.setTargetAtTime(10 ** (playbackDb / 20), context.currentTime, 0.015);
  }
}

const REFUSALS: Record<string, string> = {
  NotAllowedError: t("live.theBrowserBlockedTheMicrophone"),
  NotFoundError: t("live.theBrowserFoundNoMicrophone"),
  NotReadableError: t("live.anotherProgramIsUsingThe"),
};

/** Leaving the page would take the voice off the air: the browser asks first. */
const askFirst = (event: BeforeUnloadEvent) => event.preventDefault();

let opening: Promise<boolean> | null = null;

/** Open this browser's microphone with its own processing switched off; pressed twice, it is opened once. */
export function openMicrophone(): Promise<boolean> {
  if (stream) return Promise.resolve(true);
  opening ??= reallyOpen().finally(() => (opening = null));
  return opening;
}

async function reallyOpen(): Promise<boolean> {
  try {
    if (!navigator.mediaDevices) throw new DOMException("", "NotFoundError");
    stream = await navigator.mediaDevices.getUserMedia({
      audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false },
    });
  } catch (error) {
    const name = error instanceof DOMException ? error.name : "";
    say("trouble", REFUSALS[name] ?? t("live.theMicrophoneCouldNotBe"));
    return false;
  }
  const running = await audioContext();
  capture = new AudioWorkletNode(running, "microphone", {
    numberOfOutputs: 0,
    channelCount: CHANNELS,
    channelCountMode: "max",
  });
  capture.port.onmessage = (event: MessageEvent<ArrayBuffer>) => {
    // A slow link must not pile up old sound: what cannot go now is left out.
    if (socket?.readyState === WebSocket.OPEN && socket.bufferedAmount < 200_000) {
      socket.send(event.data);
    }
  };
  running.createMediaStreamSource(stream).connect(capture);
  const track = stream.getAudioTracks()[0];
  if (track) {
    track.onended = () => {
      say("trouble", t("live.theMicrophoneWasUnpluggedPlug"));
      closeMicrophone();
    };
    const kept = track.getSettings();
    if (kept.echoCancellation || kept.noiseSuppression || kept.autoGainControl) {
      say("trouble", t("live.thisBrowserStillProcessesThe"));
    }
  }
  window.onbeforeunload = askFirst;
  useSound.setState({ isMicrophoneOpen: true });
  follow();
  return true;
}

export function closeMicrophone() {
  capture?.disconnect();
  capture = null;
  stream?.getTracks().forEach((track) => track.stop());
  stream = null;
  window.onbeforeunload = null;
  useSound.setState({ isMicrophoneOpen: false });
  follow();
}

const TONE_DB = -30;
const TONE_RAMP_S = 0.02;
let tone: { oscillator: OscillatorNode; level: GainNode } | null = null;

/** A quiet tone in this page only, to find a frequency by ear; null ends it. */
export async function auditionTone(hz: number | null) {
  const ending = tone;
  tone = null;
  if (ending && context) {
    ending.level.gain.setTargetAtTime(0, context.currentTime, TONE_RAMP_S);
    ending.oscillator.stop(context.currentTime + 10 * TONE_RAMP_S);
  }
  if (hz === null) return;
  const running = await audioContext();
  const level = new GainNode(running, { gain: 0 });
  const oscillator = new OscillatorNode(running, { frequency: hz });
  oscillator.connect(level).connect(running.destination);
  level.gain.setTargetAtTime(10 ** (TONE_DB / 20), running.currentTime, TONE_RAMP_S);
  oscillator.start();
  tone = { oscillator, level };
}
