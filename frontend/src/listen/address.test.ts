import { expect, test } from "vitest";
import { wantedFrom } from "./address";

test("a bare page reads from its address what it plays", () => {
  expect(wantedFrom("/listen/viewers", "?token=abc")).toEqual({
    what: "viewers",
    label: "Viewers",
    token: "abc",
  });
  expect(wantedFrom("/listen/input:game", "")).toEqual({
    what: "input:game",
    label: "game",
    token: "",
  });
  expect(wantedFrom("/listen/input%3Agame/", "?token=")?.what).toBe("input:game");
  expect(wantedFrom("/listen/", "?token=abc")).toBeNull();
  expect(wantedFrom("/listen/input:../x", "")).toBeNull();
});
