import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { en } from "./en";
import { literalsIn } from "./literals";

const SOURCES = readdirSync("src", { recursive: true, encoding: "utf8" }).filter(
  (name) => /\.tsx?$/.test(name) && !/\.(test|gen)\.tsx?$|^text\/|standInSocket/.test(name),
);

describe("texts outside the catalog", () => {
  it("finds what a user would see", () => {
    const source =
      'const a = <p title="See this">Read {b ? "me" : t("x.y")} <b className="big one">12 dB</b></p>; say("trouble", "It broke.")';
    expect(literalsIn("a.tsx", source).map(({ text }) => text)).toEqual([
      "See this",
      "Read",
      "me",
      "It broke.",
    ]);
  });

  it("are none", () => {
    const found = SOURCES.flatMap((name) =>
      literalsIn(name, readFileSync(join("src", name), "utf8")).map(
        ({ line, text }) => `${name}:${line} ${text}`,
      ),
    );
    expect(found.join("\n")).toBe("");
  });

  it("are all used", () => {
    const code = SOURCES.map((name) => readFileSync(join("src", name), "utf8")).join("\n");
    const unused = Object.entries(en).flatMap(([area, texts]) =>
      Object.entries(texts)
        // Groups of texts are chosen by a value.
        .filter(([, text]) => typeof text === "string")
        .map(([key]) => `${area}.${key}`)
        .filter((key) => !new RegExp(`${key.replace(".", "\\.")}\\b`).test(code)),
    );
    expect(unused).toEqual([]);
  });
});
