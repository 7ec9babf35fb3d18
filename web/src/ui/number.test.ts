import { expect, it } from "vitest";
import { readNumber, unparted, written } from "./number";

it("a number and its unit stay on one line", () => {
  expect(unparted("Moved by up to 2.7 px; 1.9 % of the picture, 13.7 EV of one frame.")).toBe(
    "Moved by up to 2.7\u00a0px; 1.9\u00a0% of the picture, 13.7\u00a0EV of one frame.",
  );
  expect(unparted("5 of 6 frames; 3 sets stay")).toBe("5 of 6 frames; 3 sets stay");
});

it("what the panel writes is read again", () => {
  for (const [value, decimals] of [
    [-1.25, 2],
    [0, 1],
    [3, 0],
  ] as const)
    expect(readNumber(written(value, decimals, true))).toBe(value);
});
