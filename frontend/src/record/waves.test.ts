import { expect, test } from "vitest";
import { clock, diskSize, roughly } from "../units/format";
import { fitted, heightOf } from "./waves";

test("heights stand for decibels", () => {
  expect(heightOf(1)).toBe(1);
  expect(heightOf(0.00398)).toBeCloseTo(0, 3);
  expect(heightOf(0.0631)).toBeCloseTo(0.5, 3);
  expect(heightOf(0)).toBe(0);
});

test("a bar is the highest of its stretch, and none is left out", () => {
  expect(fitted([1, 2, 3], 5)).toEqual([1, 2, 3]);
  expect(fitted([1, 9, 3, 4, 5, 8, 2], 3)).toEqual([9, 4, 8]);
});

test("times and sizes are written in one unit", () => {
  expect(clock(4364.9)).toBe("1:12:44");
  expect(diskSize(1.94e9)).toBe("1.9 GB");
  expect(roughly(3600 * 214.5)).toBe("214 hours");
  expect(roughly(130)).toBe("2 minutes");
});
