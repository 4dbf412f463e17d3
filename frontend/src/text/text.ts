/**
 * The page's texts: `t(key, values)` returns one in the language of the page.
 *
 * English is part of the page. Another language is a file with the same keys, loaded before anything is drawn; `?lang=` chooses it.
 */

import { createTranslator } from "use-intl/core";
import { en } from "./en";

const wanted = new URLSearchParams(globalThis.location?.search ?? "").get("lang");
const pseudo = wanted === "pseudo" ? await import("./pseudo") : null;

/** The locale of times, dates, numbers and lists. */
export const LOCALE = "en-US";

export const t = createTranslator({
  locale: LOCALE,
  messages: pseudo ? pseudo.pseudoOf(en) : en,
  onError: (error) => {
    throw error;
  },
});

/** What the server sent, as it is shown: the pseudo-language changes the server's texts too. */
export const fromServer: <T>(sent: T) => T = pseudo ? pseudo.pseudoFromServer : (sent) => sent;

/** Names as a list in a sentence: "Game, Music, and Call". */
export const listed = (names: string[]) =>
  new Intl.ListFormat(LOCALE, { type: "conjunction" }).format(names);
