import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
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
});
