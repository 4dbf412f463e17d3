import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";

const CSS = readFileSync(new URL("./colors.gen.css", import.meta.url), "utf8");
const GROUNDS = ["ground", "rail", "panel", "raised"];
const TEXTS = ["text", "quiet", "voice-strong", "over-strong", "game", "music", "call"];
const FILLS = ["voice", "over", "noise"];

function coloursOf(selector: string): Record<string, string> {
  const block = new RegExp(`${selector} \\{([^}]*)\\}`).exec(CSS)?.[1] ?? "";
  return Object.fromEntries(
    [...block.matchAll(/--([a-z-]+): (#[0-9a-f]{6})/g)].map((m) => [m[1], m[2]]),
  );
}

/** Relative luminance, and contrast of two colours: WCAG 2.2, "relative luminance" and "contrast ratio". */
function luminance(colour: string): number {
  const [r = 0, g = 0, b = 0] = [1, 3, 5].map((at) => {
    const part = parseInt(colour.slice(at, at + 2), 16) / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

function contrast(one: string, other: string): number {
  const [high = 0, low = 0] = [luminance(one), luminance(other)].sort((a, b) => b - a);
  return (high + 0.05) / (low + 0.05);
}

describe.each([":root", '\\[data-theme="daylight"\\]'])("the colours of %s", (selector) => {
  const colours = coloursOf(selector);
  const between = (one: string, other: string) =>
    contrast(colours[one] ?? "", colours[other] ?? "");

  it("let text be read wherever it stands (WCAG 1.4.3)", () => {
    expect(contrast("#000000", "#ffffff")).toBeCloseTo(21, 5);
    for (const text of TEXTS) {
      for (const ground of GROUNDS) {
        expect(between(text, ground), `${text} on ${ground}`).toBeGreaterThanOrEqual(4.5);
      }
    }
    expect(between("on-voice", "voice-strong")).toBeGreaterThanOrEqual(4.5);
    expect(between("on-over", "over-strong")).toBeGreaterThanOrEqual(4.5);
  });
  it("let what is drawn be told from its ground (WCAG 1.4.11)", () => {
    for (const fill of FILLS) {
      for (const ground of ["ground", "panel"]) {
        expect(between(fill, ground), `${fill} on ${ground}`).toBeGreaterThanOrEqual(3);
      }
    }
  });
});
