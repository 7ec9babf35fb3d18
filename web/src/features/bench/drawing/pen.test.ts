import { expect, test } from "vitest";
import type { Place } from "../../../canvas/strokes";
import { useRepairs } from "../../../state/repairs";
import { flowOf, pressed, widthOf } from "./pen";

const brush = useRepairs.getState().brush;
/** Straight on, pressed harder and softer again. */
const points: Place[] = Array.from({ length: 41 }, (_, i) => [10 * i, 0]);
const pressures = points.map((_, i) => 1 - Math.abs(i - 20) / 20);

test("a straight stroke keeps the places where a pen was pressed otherwise, and how wide it is there", () => {
  const { points: kept, widths } = pressed(points, pressures, { ...brush, pen: "size" }, 50, 0.6);
  expect(kept).toEqual([
    [0, 0],
    [200, 0],
    [400, 0],
  ]);
  // nothing is as wide as nothing: a stroke is everywhere
  expect(widths).toEqual([1, 100, 1]);
  expect(flowOf(pressures, { ...brush, pen: "size", flow: 80 })).toBe(80);
});

test("a pen that presses the flow alone, a mouse and a finger draw as wide everywhere", () => {
  const ends = [points[0], points[40]];
  expect(pressed(points, pressures, { ...brush, pen: "flow" }, 50, 0.6)).toEqual({ points: ends, widths: [] });
  expect(pressed(points, [], { ...brush, pen: "both" }, 50, 0.6)).toEqual({ points: ends, widths: [] });
  const half = pressures.map(() => 0.5);
  expect(flowOf(half, { ...brush, pen: "flow", flow: 80 })).toBe(40);
  expect(flowOf(half, { ...brush, pen: "both", flow: 80 })).toBe(40);
  expect(flowOf([], { ...brush, pen: "both", flow: 80 })).toBe(80);
  expect([widthOf(half, { ...brush, pen: "flow" }), widthOf(half, { ...brush, pen: "both" })]).toEqual([1, 0.5]);
});
