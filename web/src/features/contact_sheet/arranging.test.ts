import { expect, it } from "vitest";
import { stepTarget } from "./arranging";

const shown = [1, 2, 3, 4, 5];
const to = (chosen: number[], step: 1 | -1) => stepTarget(shown, new Set(chosen), step);

it("a step to the left comes before the one on the left, and stops at the beginning", () => {
  expect(to([3], -1)).toBe(2);
  expect(to([3, 4], -1)).toBe(2);
  expect(to([1], -1)).toBeUndefined();
  expect(to([1, 3], -1)).toBeUndefined();
});

it("a step to the right passes one, ends at the end, and stops there", () => {
  expect(to([2], 1)).toBe(4);
  expect(to([2, 3], 1)).toBe(5);
  expect(to([4], 1)).toBeNull();
  expect(to([5], 1)).toBeUndefined();
  expect(to([], 1)).toBeUndefined();
});
