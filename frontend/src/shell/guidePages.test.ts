import { describe, expect, it } from "vitest";
import { indexOf, pagesOf, placeOf, sectionsOf } from "./guidePages";

const FILES = {
  "docs/guide/02-chain.md":
    "# Chain\n\nStages in a row.\n\n## High-pass\n\nTakes **rumble** away, see [Lips](watch#lips).\n",
  "docs/guide/01-watch.md": "# Watch\n\n## Lips\n\nThey come late.\n",
};

describe("the guide", () => {
  it("has its pages in their order, with places to go to", () => {
    const [first, second] = pagesOf(FILES);
    expect([first?.name, second?.name]).toEqual(["watch", "chain"]);
    expect(second?.title).toBe("Chain");
    expect(second?.html).toContain('<h3 id="high-pass" tabindex="-1">High-pass</h3>');
    expect(placeOf("Latency, buffer and late blocks")).toBe("latency-buffer-and-late-blocks");
  });

  it("is found by words, also by their beginnings and with a slip", () => {
    const index = indexOf(sectionsOf(FILES));
    expect(index.search("rumb")[0]).toMatchObject({ page: "chain", at: "high-pass" });
    expect(index.search("lipps")[0]).toMatchObject({ page: "watch", at: "lips" });
    expect(index.search("rumble")[0]?.text).toContain("rumble away, see Lips");
    expect(index.search("zebra")).toEqual([]);
  });
});
