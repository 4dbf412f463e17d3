/** Who hears the microphone, in words. */

import type { FeedName, Levels } from "../api/client";

export const FEEDS: FeedName[] = ["viewers", "you", "call", "archive"];

type Reach = Levels["reach"][string] | undefined;

const WORDS: Record<FeedName, Record<"hears" | "open" | "closed", string>> = {
  viewers: { hears: "hear you", open: "would hear you", closed: "do not hear you" },
  you: { hears: "hear yourself", open: "would hear yourself", closed: "without yourself" },
  call: { hears: "hears you", open: "would hear you", closed: "does not hear you" },
  archive: { hears: "keeps you", open: "would keep you", closed: "does not keep you" },
};

export function reachSentence(feed: FeedName, reach: Reach): string {
  return reach ? WORDS[feed][reach] : "cannot be told";
}
