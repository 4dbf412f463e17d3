/** Says a sentence through a live region, for screen readers; nothing is shown. */

let region: HTMLElement | null = null;

export function speak(sentence: string) {
  if (!region) {
    region = document.createElement("div");
    region.setAttribute("role", "status");
    region.setAttribute("aria-live", "assertive");
    region.setAttribute("aria-label", "Spoken");
    region.className = "sr-only";
    document.body.append(region);
  }
  // The same sentence again is only spoken if the text changes.
  region.textContent = region.textContent === sentence ? `${sentence} ` : sentence;
}
