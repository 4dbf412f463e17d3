/** The guide's pages, from docs/guide: each with its name, its title, its text as HTML, and its sections to search in. */

import { Marked } from "marked";
import MiniSearch from "minisearch";

export type GuidePage = { name: string; title: string; html: string };
export type Section = { id: string; page: string; at: string; title: string; text: string };

/** A heading's place in its page: "Before you go on air" is "before-you-go-on-air". */
export const placeOf = (heading: string) =>
  heading
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "");

const marked = new Marked({
  renderer: {
    heading({ tokens, depth, text }) {
      const inside = this.parser.parseInline(tokens);
      return `<h${depth + 1} id="${placeOf(text)}" tabindex="-1">${inside}</h${depth + 1}>`;
    },
  },
});

/** `files` are Markdown by their path, such as ".../04-chain.md". */
export function pagesOf(files: Record<string, string>): GuidePage[] {
  return Object.keys(files)
    .sort()
    .map((path) => {
      const text = files[path] ?? "";
      return {
        name: /(\d+-)?([a-z-]+)\.md$/.exec(path)?.[2] ?? path,
        title: /^# (.+)$/m.exec(text)?.[1] ?? path,
        html: marked.parse(text, { async: false }),
      };
    });
}

/** Every heading with what stands under it. */
export function sectionsOf(files: Record<string, string>): Section[] {
  return pagesOf(files).flatMap(({ name }) => {
    const path = Object.keys(files).find((one) => one.endsWith(`${name}.md`)) ?? "";
    return (files[path] ?? "")
      .split(/^(?=#{1,3} )/m)
      .filter((part) => part.startsWith("#"))
      .map((part, n) => {
        const [heading = "", ...rest] = part.split("\n");
        const title = heading.replace(/^#+ /, "");
        const text = rest.join(" ").replace(/[*`[\]]|\([a-z-]+(#[a-z-]+)?\)/g, "");
        return { id: `${name} ${n}`, page: name, at: n ? placeOf(title) : "", title, text };
      });
  });
}

export function indexOf(sections: Section[]): MiniSearch<Section> {
  const index = new MiniSearch<Section>({
    fields: ["title", "text"],
    storeFields: ["page", "at", "title", "text"],
    searchOptions: { prefix: true, fuzzy: 0.2, boost: { title: 3 } },
  });
  index.addAll(sections);
  return index;
}
