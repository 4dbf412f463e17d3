/** What a bare page plays, as its own address says it. */

import { FEED_LABELS } from "../api/facts.gen";
import { FEEDS } from "../live/reach";

export type Wanted = { what: string; label: string; token: string };

/** From `/listen/viewers?token=…` or `/listen/input:game?token=…`; null: nothing that can be heard. */
export function wantedFrom(path: string, search: string): Wanted | null {
  const what = decodeURIComponent(path.replace(/^\/listen\//, "").replace(/\/$/, ""));
  const token = new URLSearchParams(search).get("token") ?? "";
  const feed = FEEDS.find((one) => one === what);
  if (feed) return { what, label: FEED_LABELS[feed], token };
  const input = /^input:([a-z0-9_]{1,40})$/.exec(what);
  return input?.[1] ? { what, label: input[1].replaceAll("_", " "), token } : null;
}
