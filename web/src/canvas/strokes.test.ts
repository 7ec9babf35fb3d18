import { expect, test } from "vitest";
import { type Place, packed, simplified, unpacked } from "./strokes";

test("a straight path keeps its ends alone, a corner stays", () => {
  const straight: Place[] = Array.from({ length: 50 }, (_, i) => [i, i * 2]);
  expect(simplified(straight, 0.1)).toEqual([
    [0, 0],
    [49, 98],
  ]);
  expect(
    simplified(
      [
        [0, 0],
        [5, 0.01],
        [10, 0],
        [10, 8],
      ],
      0.1,
    ),
  ).toEqual([
    [0, 0],
    [10, 0],
    [10, 8],
  ]);
});

test("no place of a winding path lies farther off than asked", () => {
  const path: Place[] = Array.from({ length: 300 }, (_, i) => [i, 40 * Math.sin(i / 20)]);
  const few = simplified(path, 0.5);
  expect(few.length).toBeLessThan(80);
  for (const [x, y] of path) {
    const i = few.findIndex((p) => p[0] >= x);
    const [a, b] = [few[Math.max(i - 1, 0)] as Place, few[Math.max(i, 1)] as Place];
    const line = a[1] + ((b[1] - a[1]) * (x - a[0])) / (b[0] - a[0]);
    expect(Math.abs(line - y)).toBeLessThan(1.2);
  }
});

test("a closed dab and a single point survive", () => {
  expect(simplified([[3, 4]], 1)).toEqual([[3, 4]]);
  expect(
    simplified(
      [
        [1, 1],
        [9, 1],
        [1, 1],
      ],
      0.5,
    ),
  ).toHaveLength(3);
});

test("places are kept to a third of a pixel of 6,000", () => {
  const places: Place[] = [
    [0.123456, 0.654321],
    [-0.01, 0.5],
  ];
  unpacked(packed(places)).forEach(([x, y], i) => {
    expect(Math.abs(x - (places[i] as Place)[0])).toBeLessThan(1 / 3 / 6000);
    expect(Math.abs(y - (places[i] as Place)[1])).toBeLessThan(1 / 3 / 6000);
  });
});
