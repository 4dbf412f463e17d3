/** Who hears the microphone, in words. */

import type { FeedName, Reaches, Rig } from "../api/client";
import { useReadings } from "./readings";
import { t } from "../text/text";

export const FEEDS: FeedName[] = ["viewers", "you", "call", "archive"];

type Reach = Reaches[string] | undefined;

const WORDS: Record<FeedName, Record<"hears" | "open" | "closed", string>> = {
  viewers: {
    hears: t("live.hearYou"),
    open: t("live.canHearYou"),
    closed: t("live.doNotHearYou"),
  },
  you: {
    hears: t("live.hearYourself"),
    open: t("live.canHearYourself"),
    closed: t("live.doNotHearYourself"),
  },
  call: {
    hears: t("live.hearsYou"),
    open: t("live.canHearYou"),
    closed: t("live.doesNotHearYou"),
  },
  archive: {
    hears: t("live.recordsYou"),
    open: t("live.canRecordYou"),
    closed: t("live.doesNotRecordYou"),
  },
};

/** Whether a feed goes anywhere; the archive is recorded here. */
const hasOutput = (feed: FeedName, rig: Rig | undefined) =>
  feed === "archive" ||
  !rig ||
  rig.outputs.some(({ source, device }) => source === feed && device !== "");

/** Whether a listener hears the microphone. Open without sound is silence, or there is no output. */
export function reachSentence(feed: FeedName, reach: Reach, rig: Rig | undefined): string {
  if (!reach || reach === "unknown") return t("live.unknown");
  return reach === "open" && !hasOutput(feed, rig) ? t("live.noOutputYet") : WORDS[feed][reach];
}

/** Whether a microphone reaches a listener now, as the engine measured it; undefined before anything has come. */
export const useReach = (feed: FeedName): Reach => useReadings(({ reach }) => reach[feed]);
