/** Plays a recording in this page alone: pieces are fetched ahead and follow each other without a gap. */

import { create } from "zustand";
import { answerOf } from "../api/client";
import { useSound } from "./sound";
import { tell } from "./store";
import { t } from "../text/text";

export type Way = "came" | "was" | "now";
export type Span = { from: number; to: number };

type Player = {
  id: string;
  isPlaying: boolean;
  /** Where it stands, in seconds. */
  at: number;
  way: Way;
  /** One track alone; "" is one of the three ways. */
  source: string;
  piece: Span | null;
  isLooping: boolean;
};

const PIECE_S = 4;
const FIRST_PIECE_S = 1.5;
const AHEAD_S = 6;
const TICK_MS = 60;

export const usePlayer = create<Player>(() => ({
  id: "",
  isPlaying: false,
  at: 0,
  way: "was",
  source: "",
  piece: null,
  isLooping: false,
}));

let context: AudioContext | null = null;
let volume: GainNode | null = null;
let playing: AudioBufferSourceNode[] = [];
let timer = 0;
let round = 0;
let length = 0;
/** What is scheduled: from which moment of the context on which place of the recording is heard. */
let laid: { when: number; at: number; until: number }[] = [];

/** In the place of a recording: the last minutes of the evening on air. */
export const LAST_MINUTES = t("live.theLastMinutes");

/** Show another recording. */
export function openRecording(id: string, seconds: number) {
  length = seconds;
  if (usePlayer.getState().id === id) return;
  pause();
  usePlayer.setState({ id, at: 0, piece: null, isLooping: false, source: "" });
}

export function pause() {
  round += 1;
  window.clearInterval(timer);
  for (const one of playing) one.stop();
  playing = [];
  laid = [];
  usePlayer.setState({ isPlaying: false });
}

export function seek(at: number) {
  const wasPlaying = usePlayer.getState().isPlaying;
  pause();
  usePlayer.setState({ at: Math.max(0, Math.min(at, length)) });
  if (wasPlaying) play();
}

/** Change what is heard; it goes on from where it stands. */
export function hear(change: Partial<Pick<Player, "way" | "source" | "piece" | "isLooping">>) {
  const wasPlaying = usePlayer.getState().isPlaying;
  pause();
  usePlayer.setState(change);
  if (wasPlaying) play();
}

export function play() {
  context ??= new AudioContext({ sampleRate: 48_000 });
  if (!volume) {
    volume = context.createGain();
    volume.connect(context.destination);
  }
  volume.gain.value = 10 ** (useSound.getState().playbackDb / 20);
  void context.resume();
  const { at, piece, isLooping } = usePlayer.getState();
  const isOutside = piece && isLooping && (at < piece.from || at >= piece.to - 0.05);
  const start = isOutside ? piece.from : at >= length - 0.05 ? 0 : at;
  usePlayer.setState({ isPlaying: true, at: start });
  round += 1;
  void layAhead(round, start);
  timer = window.setInterval(follow, TICK_MS);
}

export const togglePlay = () => (usePlayer.getState().isPlaying ? pause() : play());

async function fetchPiece(at: number, seconds: number): Promise<AudioBuffer> {
  const { id, way, source } = usePlayer.getState();
  const query = new URLSearchParams({ way, from_s: String(at), seconds: String(seconds) });
  if (source) query.set("source", source);
  const place = id === LAST_MINUTES ? "watch" : `recordings/${id}`;
  const reply = await answerOf(`/api/${place}/listen?${query}`);
  if (!context) throw new Error(t("live.thisBrowserCannotPlaySound"));
  return context.decodeAudioData(await reply.arrayBuffer());
}

async function layAhead(mine: number, start: number) {
  let at = start;
  let seconds = FIRST_PIECE_S;
  let when = 0;
  try {
    while (mine === round && context && volume) {
      const { piece, isLooping } = usePlayer.getState();
      const end = piece && isLooping ? piece.to : length;
      if (at >= end - 0.01) {
        if (!piece || !isLooping) return;
        at = piece.from;
      }
      const wanted = Math.min(seconds, end - at);
      const sound = await fetchPiece(at, wanted);
      if (mine !== round) return;
      when = Math.max(when, context.currentTime + 0.05);
      const node = context.createBufferSource();
      node.buffer = sound;
      node.connect(volume);
      node.start(when);
      playing.push(node);
      node.onended = () => (playing = playing.filter((one) => one !== node));
      laid.push({ when, at, until: when + wanted });
      when += wanted;
      at += wanted;
      seconds = PIECE_S;
      while (mine === round && when - context.currentTime > AHEAD_S) {
        await new Promise((done) => setTimeout(done, 200));
      }
    }
  } catch (error) {
    if (mine !== round) return;
    pause();
    tell(error);
  }
}

function follow() {
  if (!context) return;
  const now = context.currentTime;
  while (laid.length > 1 && (laid[1]?.when ?? Infinity) <= now) laid.shift();
  const [one] = laid;
  if (!one || now < one.when) return;
  usePlayer.setState({ at: Math.min(length, one.at + Math.min(now, one.until) - one.when) });
  if (laid.length === 1 && now >= one.until && one.at + one.until - one.when >= length - 0.02) {
    pause();
  }
}
