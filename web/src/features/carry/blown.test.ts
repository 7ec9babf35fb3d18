import { expect, it } from "vitest";
import { endsOf, endWords } from "./blown";

const pixels = (...rgb: number[][]) => new Uint8ClampedArray(rgb.flatMap((p) => [...p, 255]));

it("any full channel is an end, and only all empty ones are", () => {
  const found = endsOf(pixels([255, 20, 20], [0, 0, 0], [0, 0, 9], [128, 128, 128]));
  expect(found).toEqual({ white: 0.25, black: 0.25 });
  expect(endsOf(new Uint8ClampedArray())).toEqual({ white: 0, black: 0 });
});

it("only what was not at its end before is told", () => {
  expect(endWords({ white: 0, black: 0 }, { white: 0.07, black: 0 })).toBe("7 % blown now");
  expect(endWords({ white: 0.06, black: 0 }, { white: 0.07, black: 0.1 })).toBe("10 % black now");
  expect(endWords({ white: 0, black: 0 }, { white: 0.015, black: 0 })).toBe("");
  expect(endWords(undefined, { white: 1, black: 0 })).toBe("");
});
