/** Who hears the microphone, in words. */

import type { FeedName, Reaches } from "../api/client";
import { useReadings } from "./readings";
import { t } from "../text/text";

export const FEEDS: FeedName[] = ["viewers", "you", "call", "archive"];

type Reach = Reaches[string] | undefined;

const WORDS: Record<FeedName, Record<"hears" | "open" | "closed", string>> = {
  viewers: {
    hears: t("live.hearYou"),
    open: t("live.noOutputYet"),
    closed: t("live.doNotHearYou"),
  },
  you: {
    hears: t("live.hearYourself"),
    open: t("live.noOutputYet"),
    closed: t("live.doNotHearYourself"),
  },
  call: {
    hears: t("live.hearsYou"),
    open: t("live.noOutputYet"),
    closed: t("live.doesNotHearYou"),
  },
  archive: {
    hears: t("live.recordsYou"),
    open: t("live.noOutputYet"),
    closed: t("live.doesNotRecordYou"),
  },
};

export function reachSentence(feed: FeedName, reach: Reach): string {
  return reach && reach !== "unknown" ? WORDS[feed][reach] : t("live.unknown");
}

/** Whether a microphone reaches a listener now, as the engine measured it; undefined before anything has come. */
export const useReach = (feed: FeedName): Reach => useReadings(({ reach }) => reach[feed]);
