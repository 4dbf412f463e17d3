/**
 * A language for development (`?lang=pseudo`): every text accented and about 40 % longer. What stays plain is not in the catalog;
 * what is cut or overlaps has no room for another language.
 */

import { parse, TYPE, type MessageFormatElement } from "@formatjs/icu-messageformat-parser";
import { printAST } from "@formatjs/icu-messageformat-parser/printer.js";

const PLAIN = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ";
const MARKED = "áƀçđéƒĝĥíĵķłɱñóþǫŕšţúṽŵẋýžÁƁÇĐÉƑĜĤÍĴĶŁṀÑÓÞǪŔŠŢÚṼŴẊÝŽ";
/** Units are the same in every language. */
const UNITS = /\b(dB|dBFS|dBTP|LUFS|LU|Hz|kHz|ms|ppm|GB|MB|kB|fps|oct|s)\b/;

/** A text, accented; its vowels are doubled, which makes it about 40 % longer. */
export function accented(text: string): string {
  return text
    .split(UNITS)
    .map((part, n) => (n % 2 ? part : part.replace(/[a-z]/gi, marked)))
    .join("");
}

function marked(letter: string): string {
  const other = MARKED[PLAIN.indexOf(letter)] ?? letter;
  return /[aeiou]/.test(letter) ? other + other : other;
}

function withMarks(elements: MessageFormatElement[]): MessageFormatElement[] {
  return elements.map((element) => {
    if (element.type === TYPE.literal) return { ...element, value: accented(element.value) };
    if (element.type === TYPE.plural || element.type === TYPE.select) {
      const options = Object.entries(element.options).map(([name, option]) => [
        name,
        { ...option, value: withMarks(option.value) },
      ]);
      return { ...element, options: Object.fromEntries(options) } as MessageFormatElement;
    }
    return element;
  });
}

/** A catalog in the pseudo-language. */
export function pseudoOf<T>(texts: T): T {
  if (typeof texts === "string") return printAST(withMarks(parse(texts))) as T;
  const entries = Object.entries(texts as object);
  return Object.fromEntries(entries.map(([name, text]) => [name, pseudoOf(text)])) as T;
}

/** The fields of the server's messages that hold a text of Goshawk: names that users gave are none. */
const TEXTS =
  /^(title|text|label|help|description|detail|reason|doubt|reads|sentences?|advice|lines|wanted|trouble|\w+_trouble|\w+_in_words|short)$/;

/** What the server sent, with its texts in the pseudo-language. */
export function pseudoFromServer<T>(sent: T, isText = false): T {
  if (typeof sent === "string") return (isText ? accented(sent) : sent) as T;
  if (Array.isArray(sent)) return sent.map((one) => pseudoFromServer(one, isText)) as T;
  if (typeof sent !== "object" || sent === null) return sent;
  const entries = Object.entries(sent);
  return Object.fromEntries(
    entries.map(([name, value]) => [name, pseudoFromServer(value, isText || TEXTS.test(name))]),
  ) as T;
}
