import { expect, it } from "vitest";
import { Pace, SHARES, WHOLE_SHARES } from "./pace";
import { reduced } from "./viewport";

/** A machine with a fixed part and a time for a megapixel, and a hand that moves for some pictures: their sizes. */
function drag(pace: Pace, pixels: number, perMegapixel: number, pictures = 40, fixed = 8): number[] {
  return Array.from({ length: pictures }, () => {
    const share = pace.shareFor(pixels);
    pace.took(share, fixed + (pixels / 1e6) * share * share * perMegapixel);
    return share;
  });
}

it("small windows are never reduced on a machine that keeps up", () => {
  expect(new Set(drag(new Pace(), 0.5e6, 30))).toEqual(new Set([1]));
});

it("large ones come in time after a few pictures, at a size that stays", () => {
  for (const [pixels, per] of [
    [2.8e6, 30],
    [6.5e6, 30],
    [6.5e6, 80],
    [0.6e6, 120],
  ] as const) {
    const sizes = drag(new Pace(), pixels, per);
    const last = sizes.at(-1) as number;
    expect(new Set(sizes.slice(-15)).size).toBe(1);
    const ms = (share: number) => 8 + (pixels / 1e6) * share * share * per;
    expect(ms(last)).toBeLessThan(47);
    // and no smaller than it must be
    const shares = pixels < 3e6 ? SHARES : WHOLE_SHARES;
    const larger = shares[shares.indexOf(last) - 1];
    if (larger !== undefined) expect(ms(larger)).toBeGreaterThan(25);
  }
});

it("one pause does not change the size for long, and a slower recipe does", () => {
  const pace = new Pace();
  drag(pace, 2.8e6, 25);
  const before = pace.shareFor(2.8e6);
  pace.took(before, 900);
  expect(drag(pace, 2.8e6, 25).at(-1)).toBe(before);
  expect(drag(pace, 2.8e6, 90).at(-1)).toBeLessThan(before);
  expect(drag(pace, 2.8e6, 25, 140).at(-1)).toBe(before);
});

it("does not go smaller where that does not make pictures come sooner", () => {
  // almost all of it is the browser's own work
  const sizes = drag(new Pace(), 0.4e6, 15, 60, 60);
  expect(sizes.filter((s) => s === 1).length).toBeGreaterThan(20);
  expect(sizes.slice(-20)).toContain(1);
});

it("begins a large window at a size that usual machines keep up with", () => {
  expect(new Pace().shareFor(6.5e6)).toBe(1 / 3);
  expect(new Pace().shareFor(0.6e6)).toBe(1);
});

it("never goes below a sixth, nor below what still shows something", () => {
  expect(drag(new Pace(), 30e6, 500).at(-1)).toBe(1 / 6);
  expect(drag(new Pace(), 4e6, 500).at(-1)).toBe(1 / 5);
  expect(drag(new Pace(), 2.7e6, 500).at(-1)).toBe(0.25);
  expect(drag(new Pace(), 0.4e6, 500).at(-1)).toBe(0.64);
  expect(new Set(drag(new Pace(), 0.1e6, 5000))).toEqual(new Set([1]));
});

it("a window at a share of its size covers the same places", () => {
  const window = { scaledWidth: 6000, scaledHeight: 4000, x: 1001, y: 777, width: 2333, height: 1501 };
  for (const share of SHARES) {
    const less = reduced(window, share);
    const sx = less.scaledWidth / window.scaledWidth;
    const sy = less.scaledHeight / window.scaledHeight;
    expect(less.x / sx).toBeLessThanOrEqual(window.x);
    expect((less.x + less.width) / sx).toBeGreaterThanOrEqual(window.x + window.width - 1e-9);
    expect((less.y + less.height) / sy).toBeGreaterThanOrEqual(window.y + window.height - 1e-9);
    expect(less.x + less.width).toBeLessThanOrEqual(less.scaledWidth);
    expect(window.x - less.x / sx).toBeLessThan(1 / sx);
  }
  const box = { scaledWidth: 1000, scaledHeight: 700, x: 0, y: 0, width: 0, height: 0 };
  expect(reduced(box, 0.5)).toEqual({ ...box, scaledWidth: 500, scaledHeight: 350 });
});
