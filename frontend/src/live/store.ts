/** What is set, as the server says it, and how the link to it is. React reads slices of this. */

import { create } from "zustand";
import type {
  Balance,
  RecordingState,
  SettingsSchema,
  SoundCheck,
  State,
  WatchState,
} from "../api/client";
import { t } from "../text/text";

export type LinkStatus = "connecting" | "open" | "lost";
export type Message = { id: number; level: "news" | "trouble"; text: string; about: string };

type Live = {
  status: LinkStatus;
  state: State | null;
  known: SettingsSchema | null;
  soundCheck: SoundCheck | null;
  balance: Balance | null;
  recording: RecordingState | null;
  watch: WatchState | null;
  messages: Message[];
  say: (level: Message["level"], text: string, about?: string) => void;
  dismiss: (id: number) => void;
};

const MOST_MESSAGES = 3;
let nextId = 1;

export const useLive = create<Live>((set) => ({
  status: "connecting",
  state: null,
  known: null,
  soundCheck: null,
  balance: null,
  recording: null,
  watch: null,
  messages: [],
  say: (level, text, about = "") =>
    set((live) => ({
      // The same sentence twice is one message, moved to the end; trouble stays, news makes way for newer news, and
      // what is about the same for how it stands now.
      messages: [
        ...live.messages.filter(
          (message) =>
            message.text !== text &&
            (about === "" || message.about !== about) &&
            (level === "trouble" || message.level === "trouble"),
        ),
        { id: nextId++, level, text, about },
      ].slice(-MOST_MESSAGES),
    })),
  dismiss: (id) =>
    set((live) => ({ messages: live.messages.filter((message) => message.id !== id) })),
}));

const NEWS_MS = 12_000;

/** Say something; trouble stays until it is put away, or until news about the same come. News go by themselves. */
export function say(level: Message["level"], text: string, about = "") {
  useLive.getState().say(level, text, about);
  const id = useLive.getState().messages.at(-1)?.id;
  if (level === "news" && id !== undefined) {
    setTimeout(() => useLive.getState().dismiss(id), NEWS_MS);
  }
}

/** Say what went wrong. */
export const tell = (error: unknown) =>
  say("trouble", error instanceof Error ? error.message : t("live.theChangeWasNotMade"));

/** Whether a request was done; if not, why is said. */
export const did = (request: Promise<void>): Promise<boolean> =>
  request.then(
    () => true,
    (error: unknown) => {
      tell(error);
      return false;
    },
  );
