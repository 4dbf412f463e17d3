/** Says a sentence through a live region, for screen readers; nothing is shown. */

import { t } from "../text/text";

let region: HTMLElement | null = null;

/** Sentences that come close together are all said, so each stays for a moment. */
const STAYS_MS = 5000;

export function speak(sentence: string) {
  if (!region) {
    region = document.createElement("div");
    region.setAttribute("role", "status");
    region.setAttribute("aria-live", "assertive");
    region.setAttribute("aria-atomic", "false");
    region.setAttribute("aria-label", t("live.spoken"));
    region.className = "sr-only";
    document.body.append(region);
  }
  const line = document.createElement("p");
  line.textContent = sentence;
  region.append(line);
  setTimeout(() => line.remove(), STAYS_MS);
}
