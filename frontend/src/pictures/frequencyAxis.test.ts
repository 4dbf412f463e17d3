import { describe, expect, it } from "vitest";
import { planeOf, traceBands } from "./frequencyAxis";

/** Writes down where a line goes. */
function pen() {
  const points: [number, number][] = [];
  const canvas = { lineTo: (x: number, y: number) => points.push([x, y]) };
  return { points, canvas: canvas as unknown as CanvasRenderingContext2D };
}

describe("a plane of frequency and dB", () => {
  const plane = planeOf(800, 300, -10, -100);
  it("holds what lies beyond its edges at them", () => {
    expect(plane.y(0)).toBe(plane.y(-10));
    expect(plane.y(-200)).toBe(plane.y(-100));
    expect(plane.y(-100)).toBe(plane.bottom);
    expect(plane.y(-55)).toBeCloseTo((plane.y(-10) + plane.y(-100)) / 2);
  });
  it("draws the band around 1 kHz at 1 kHz, and comes back the same way", () => {
    const levels = Array.from({ length: 61 }, (_, band) => (band === 34 ? -20 : -90));
    const there = pen();
    traceBands(there.canvas, plane, levels);
    expect(there.points).toHaveLength(61);
    expect(there.points[34]?.[0]).toBeCloseTo(plane.x(1000));
    expect(there.points[34]?.[1]).toBeCloseTo(plane.y(-20));
    const back = pen();
    traceBands(back.canvas, plane, levels, true);
    expect(back.points).toEqual(there.points.toReversed());
    for (const [x] of there.points) {
      expect(x).toBeGreaterThanOrEqual(plane.x(20));
      expect(x).toBeLessThanOrEqual(plane.x(20000));
    }
  });
});
