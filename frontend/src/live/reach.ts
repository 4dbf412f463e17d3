/** Who hears the microphone, in words. */

import type { FeedName, Reaches } from "../api/client";
import { useReadings } from "./readings";

export const FEEDS: FeedName[] = ["viewers", "you", "call", "archive"];

type Reach = Reaches[string] | undefined;

const WORDS: Record<FeedName, Record<"hears" | "open" | "closed", string>> = {
  viewers: { hears: "hear you", open: "would hear you", closed: "do not hear you" },
  you: { hears: "hear yourself", open: "would hear yourself", closed: "without yourself" },
  call: { hears: "hears you", open: "would hear you", closed: "does not hear you" },
  archive: { hears: "keeps you", open: "would keep you", closed: "does not keep you" },
};

export function reachSentence(feed: FeedName, reach: Reach): string {
  return reach && reach !== "unknown" ? WORDS[feed][reach] : "not known";
}

/** Whether a microphone reaches a listener now, as the engine measured it; undefined before anything has come. */
export const useReach = (feed: FeedName): Reach => useReadings(({ reach }) => reach[feed]);
