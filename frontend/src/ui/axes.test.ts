import { describe, expect, it } from "vitest";
import { areaOf, keptApart, tracePath, yIn } from "./axes";

const area = areaOf(240, 128);

describe("axes", () => {
  it("puts values between the edges and holds what is beyond at them", () => {
    expect(yIn(area, 0, 0, -48)).toBe(area.top);
    expect(yIn(area, -48, 0, -48)).toBe(area.bottom);
    expect(yIn(area, -24, 0, -48)).toBe((area.top + area.bottom) / 2);
    expect(yIn(area, 12, 0, -48)).toBe(area.top);
    expect(yIn(area, -90, 0, -48)).toBe(area.bottom);
    // Gain reduction hangs from the top: more of it lies lower.
    expect(yIn(area, 6, 0, 12)).toBe((area.top + area.bottom) / 2);
  });

  it("draws a series from edge to edge", () => {
    const points: [number, number][] = [];
    const canvas = {
      beginPath: () => points.splice(0),
      lineTo: (x: number, y: number) => points.push([x, y]),
      moveTo: (x: number, y: number) => points.push([x, y]),
    } as unknown as CanvasRenderingContext2D;
    const values = Array.from({ length: 1000 }, (_, i) => i);
    tracePath(canvas, area, { length: 1000, at: (i) => values[i] ?? 0 }, (value) => value);
    expect(points.at(0)?.[0]).toBeCloseTo(area.left, 0);
    expect(points.at(-1)?.[0]).toBeCloseTo(area.right, 0);
    expect(points.map(([x]) => x)).toEqual(points.map(([x]) => x).toSorted((a, b) => a - b));
  });

  it("keeps labels apart, from the top down, and in their own order", () => {
    expect(keptApart([10, 60, 110], 13)).toEqual([10, 60, 110]);
    expect(keptApart([20, 10, 12], 13)).toEqual([36, 10, 23]);
    expect(keptApart([], 13)).toEqual([]);
    expect(keptApart([5, 5, 5], 10)).toEqual([5, 15, 25]);
  });
});
