import { expect, it } from "vitest";
import { evaluate, isStraight, type Point } from "./curve";

// values of the engine's own curve (zincplate.core.tone.curve.evaluate)
const AT = [0, 0.05, 0.13, 0.3, 0.45, 0.62, 0.88, 1];
const CASES: { points: Point[]; values: number[] }[] = [
  {
    points: [
      [0, 0],
      [1, 1],
    ],
    values: [0.0, 0.05, 0.13, 0.3, 0.45, 0.62, 0.88, 1.0],
  },
  {
    points: [
      [0, 0],
      [0.25, 0.15],
      [0.7, 0.8],
      [1, 1],
    ],
    values: [0.0, 0.01862331, 0.061966621, 0.200120367, 0.427439469, 0.707056769, 0.939883836, 1.0],
  },
  {
    points: [
      [0.1, 0.2],
      [0.4, 0.2],
      [0.5, 0.9],
      [0.9, 0.4],
    ],
    values: [0.2, 0.2, 0.2, 0.2, 0.55, 0.8865, 0.4713125, 0.4],
  },
  {
    points: [
      [0, 0.5],
      [0.02, 0.6],
      [1, 0.55],
    ],
    values: [0.5, 0.599998566, 0.599929292, 0.598833819, 0.59577626, 0.588525189, 0.566210083, 0.55],
  },
];

it("draws the line that the engine computes", () => {
  for (const { points, values } of CASES)
    for (const [i, x] of AT.entries()) expect(evaluate(points, x)).toBeCloseTo(values[i] as number, 8);
});

it("knows a straight curve", () => {
  expect(
    isStraight([
      [0, 0],
      [1, 1],
    ]),
  ).toBe(true);
  expect(
    isStraight([
      [0, 0.1],
      [1, 1],
    ]),
  ).toBe(false);
});
