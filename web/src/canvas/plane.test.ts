import { describe, expect, it } from "vitest";
import {
  covers,
  dragged,
  inside,
  kept,
  kindOf,
  overlayLines,
  type Point,
  placePlane,
  type Rect,
  ratioOf,
  toPlane,
  toScreen,
  withRatio,
} from "./plane";

const SQUARE: Point[] = [
  [-100, -100],
  [100, -100],
  [100, 100],
  [-100, 100],
];

describe("the plane on the screen", () => {
  it("goes there and back", () => {
    const at = placePlane([-300, -200, 600, 400], { width: 400, height: 300 }, 10);
    const [x, y] = toPlane(at, ...toScreen(at, [123, -45]));
    expect(x).toBeCloseTo(123);
    expect(y).toBeCloseTo(-45);
    expect(toScreen(at, [0, 0])).toEqual([200, 150]);
  });
  it("is not enlarged", () => {
    expect(placePlane([0, 0, 10, 10], { width: 400, height: 300 }, 10).scale).toBe(1);
  });
});

describe("crops", () => {
  it("know what covers them", () => {
    expect(inside(SQUARE, [0, 0])).toBe(true);
    expect(inside(SQUARE, [101, 0])).toBe(false);
    expect(covers(SQUARE, [-100, -100, 200, 200])).toBe(true);
    expect(covers(SQUARE, [-100, -100, 210, 200])).toBe(false);
  });
  it("stop at the edge of the picture and slide along it", () => {
    const from: Rect = [-50, -50, 100, 100];
    const [left, top, width] = kept(from, [200, -20, 100, 100], SQUARE);
    expect(width).toBe(100);
    expect(left).toBeGreaterThan(-1);
    expect(left).toBeLessThan(1.5);
    expect(top).toBeCloseTo(-20, 0);
  });
  it("keep the opposite side", () => {
    expect(dragged([0, 0, 100, 80], "left", 20, 5, null)).toEqual([20, 0, 80, 80]);
    expect(dragged([0, 0, 100, 80], "bottom right", 20, 5, null)).toEqual([0, 0, 120, 85]);
    expect(dragged([0, 0, 100, 80], "move", 20, 5, 2)).toEqual([20, 5, 100, 80]);
  });
  it("keep their ratio from corners and edges", () => {
    for (const grip of ["left", "top", "bottom right", "top left"] as const) {
      const [, , w, h] = dragged([0, 0, 100, 80], grip, -13, 22, 1.25);
      expect(w / h).toBeCloseTo(1.25);
    }
    const [left, , w] = dragged([0, 0, 100, 80], "bottom", 0, 80, 1.25);
    expect([left, w]).toEqual([-50, 200]);
  });
  it("never turn inside out", () => {
    const [, , w, h] = dragged([0, 0, 100, 80], "bottom right", -500, -500, null);
    expect(Math.min(w, h)).toBeGreaterThan(0);
  });
  it("change their ratio about the middle, inside the picture", () => {
    const changed = withRatio([-100, -100, 200, 200], 4 / 5, SQUARE);
    expect(changed[2] / changed[3]).toBeCloseTo(0.8);
    expect(changed[0] + changed[2] / 2).toBeCloseTo(0);
    expect(covers(SQUARE, changed)).toBe(true);
  });
});

describe("words and lines", () => {
  it("reads ratios", () => {
    expect(ratioOf("4:5", 1.5)).toBe(0.8);
    expect(ratioOf("original", 1.5)).toBe(1.5);
    expect(ratioOf("free", 1.5)).toBeNull();
  });
  it("draws diagonals at 45 degrees whatever the ratio", () => {
    for (const ratio of [0.5, 1, 1.7])
      for (const [x0, y0, x1, y1] of overlayLines("diagonals", ratio))
        expect(Math.abs((x1 - x0) * ratio)).toBeCloseTo(Math.abs(y1 - y0));
    expect(overlayLines("thirds", 1)).toHaveLength(4);
  });
  it("tells level from plumb", () => {
    expect(kindOf([0, 0], [50, 3])).toBe("level");
    expect(kindOf([0, 0], [3, -50])).toBe("plumb");
  });
});
