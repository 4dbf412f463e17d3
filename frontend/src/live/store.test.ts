import { beforeEach, describe, expect, it } from "vitest";
import { say, useLive } from "./store";

const texts = () => useLive.getState().messages.map(({ text }) => text);

describe("messages", () => {
  beforeEach(() => useLive.setState({ messages: [] }));

  it("lets newer news take the place of older", () => {
    say("news", "The room is learned.");
    say("news", "Game 4.0 dB down.");
    expect(texts()).toEqual(["Game 4.0 dB down."]);
  });

  it("keeps trouble until it is put away, however much news comes", () => {
    say("trouble", "The microphone is gone.");
    say("news", "One.");
    say("news", "Two.");
    expect(texts()).toEqual(["The microphone is gone.", "Two."]);
    const [trouble] = useLive.getState().messages;
    useLive.getState().dismiss(trouble?.id ?? -1);
    expect(texts()).toEqual(["Two."]);
  });

  it("says the same trouble once, at the end, and never more than a few", () => {
    for (const text of ["a", "b", "c", "a"]) say("trouble", text);
    expect(texts()).toEqual(["b", "c", "a"]);
    for (const text of ["d", "e"]) say("trouble", text);
    expect(texts()).toHaveLength(3);
    expect(texts().at(-1)).toBe("e");
  });
});
