import { describe, expect, it } from "vitest";
import { Drawing, PICTURE_MS, TICKS_MS } from "./drawing";

/** A display whose frames and timers come when the test says so. */
function display(wantsCalm: boolean) {
  const frames: (() => void)[] = [];
  const timers: { at: number; then: () => void }[] = [];
  const clock = { now: 1000 };
  const drawing = new Drawing({
    inNextFrame: (draw) => frames.push(draw),
    in: (ms, then) => timers.push({ at: clock.now + ms, then }),
    now: () => clock.now,
    wantsCalm: () => wantsCalm,
  });
  const pass = (ms: number) => {
    clock.now += ms;
    const over = timers.filter(({ at }) => at <= clock.now);
    timers.splice(0, timers.length, ...timers.filter(({ at }) => at > clock.now));
    for (const { then } of over) then();
    for (const draw of frames.splice(0)) draw();
  };
  return { drawing, pass };
}

/** How often a picture is drawn while news comes twenty times a second, and figures five times, on a display of 144 frames. */
function drawnInASecond(wantsCalm: boolean, kind: "still" | "live" | "moving" | "ticks") {
  const { drawing, pass } = display(wantsCalm);
  let count = 0;
  const draw = () => (count += 1);
  drawing.soon(draw);
  if (kind === "moving") drawing.withNews(draw, PICTURE_MS);
  if (kind === "ticks") drawing.withNews(draw, TICKS_MS);
  if (kind === "live") drawing.withFigures(draw);
  for (let frame = 0; frame < 144; frame++) {
    const comes = (perSecond: number) =>
      Math.floor((frame * perSecond) / 144) !== Math.floor(((frame - 1) * perSecond) / 144);
    if (comes(20)) drawing.news();
    if (comes(5)) drawing.news(true);
    pass(1000 / 144);
  }
  return count;
}

describe("pictures", () => {
  it("that move are drawn between figures too, however many frames the display has", () => {
    const [pictures, ticks] = [drawnInASecond(false, "moving"), drawnInASecond(false, "ticks")];
    expect(pictures).toBeGreaterThanOrEqual(8);
    expect(pictures).toBeLessThanOrEqual(11);
    expect(ticks).toBeGreaterThanOrEqual(16);
    expect(ticks).toBeLessThanOrEqual(21);
  });

  it("that are live are drawn with the figures", () => {
    expect(drawnInASecond(false, "live")).toBe(5);
  });

  it("are drawn with the figures for those who want less motion, and the newest is shown", () => {
    expect(drawnInASecond(true, "moving")).toBe(5);
    const { drawing, pass } = display(true);
    let drawn = 0;
    drawing.withNews(() => (drawn += 1), TICKS_MS);
    drawing.news();
    drawing.news();
    pass(16);
    expect(drawn).toBe(1);
    pass(250);
    expect(drawn, "without figures, what came between is shown later").toBe(2);
    pass(1000);
    expect(drawn, "and nothing without news").toBe(2);
  });

  it("that stand still are drawn once", () => {
    expect(drawnInASecond(false, "still")).toBe(1);
  });

  it("show what the hand changes in the next frame, once, whatever else is awaited", () => {
    const { drawing, pass } = display(true);
    let count = 0;
    const draw = () => (count += 1);
    drawing.news();
    drawing.soon(draw);
    drawing.soon(draw);
    pass(1);
    expect(count).toBe(1);
    drawing.soon(draw);
    drawing.forget(draw);
    pass(1);
    expect(count).toBe(1);
  });
});
