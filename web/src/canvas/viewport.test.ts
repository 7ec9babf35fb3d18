import { describe, expect, it } from "vitest";
import { FIT, fitScale, panned, place, windowInSight, zoomAt } from "./viewport";

const canvas = { width: 820, height: 730 };
const picture = { width: 3000, height: 2000 };

describe("viewport", () => {
  it("fits the picture with a margin and never enlarges", () => {
    const at = place(FIT, canvas, picture, 1);
    expect(at.scale).toBeCloseTo((820 - 36) / 3000);
    expect(at.left).toBe(18);
    expect(fitScale(canvas, { width: 100, height: 80 }, 1)).toBe(1);
  });

  it("keeps the point under the pointer while zooming", () => {
    const before = place(FIT, canvas, picture, 1);
    const point = { x: (500 - before.left) / before.scale, y: (300 - before.top) / before.scale };
    const view = zoomAt(FIT, 1, 500, 300, canvas, picture, 1);
    const after = place(view, canvas, picture, 1);
    expect((500 - after.left) / after.scale).toBeCloseTo(point.x, -0.5);
    expect((300 - after.top) / after.scale).toBeCloseTo(point.y, -0.5);
  });

  it("goes back to fit when zoomed out, and stops at eight to one", () => {
    expect(zoomAt({ zoom: 1, centreX: 0.5, centreY: 0.5 }, 0.01, 0, 0, canvas, picture, 1)).toEqual(FIT);
    expect(zoomAt(FIT, 99, 10, 10, canvas, picture, 1).zoom).toBe(8);
  });

  it("cannot be dragged away from the picture", () => {
    let view = zoomAt(FIT, 1, 400, 300, canvas, picture, 1);
    for (let i = 0; i < 50; i++) view = panned(view, 300, 300, canvas, picture, 1);
    const at = place(view, canvas, picture, 1);
    expect(at.left).toBe(0);
    expect(at.top).toBe(0);
    expect(panned(FIT, 50, 50, canvas, picture, 1)).toEqual(FIT);
  });

  it("asks for what is in sight and nothing else", () => {
    const one = windowInSight({ zoom: 1, centreX: 0.5, centreY: 0.5 }, canvas, picture, 1);
    expect(one).toMatchObject({ scaledWidth: 3000, scaledHeight: 2000, width: 820, height: 730 });
    const fit = windowInSight(FIT, canvas, picture, 1);
    expect(fit).toMatchObject({ x: 0, y: 0, scaledWidth: 784, width: 784 });
    const close = windowInSight({ zoom: 4, centreX: 0.5, centreY: 0.5 }, canvas, picture, 1);
    expect(close.scaledWidth).toBe(3000);
    expect(close.width).toBeLessThanOrEqual(207);
  });
});
