import { expect, it } from "vitest";
import { drawLoupe, drawMarker, drawSamplers } from "./overlay";
import { Sheet } from "./sheet";

/** A canvas that writes down what is drawn on it. */
function paper(width = 800, height = 600) {
  const calls: { name: string; args: unknown[] }[] = [];
  const context = new Proxy({} as Record<string, unknown>, {
    get: (kept, name: string) => kept[name] ?? ((...args: unknown[]) => void calls.push({ name, args })),
    set: (kept, name: string, value) => {
      kept[name] = value;
      return true;
    },
  });
  const canvas = { width, height, getContext: () => context } as unknown as HTMLCanvasElement;
  return { canvas, of: (name: string) => calls.filter((c) => c.name === name).map((c) => c.args) };
}

it("a picker's square is drawn about its place, light under dark", () => {
  const { canvas, of } = paper();
  drawMarker(canvas, { x: 100, y: 80, radius: 12 }, 2);
  expect(of("strokeRect")).toEqual([
    [88, 68, 24, 24],
    [88, 68, 24, 24],
  ]);
  const empty = paper();
  drawMarker(empty.canvas, null, 1);
  expect(empty.of("strokeRect")).toEqual([]);
});

it("pinned places sit in the middle of their pixel and carry their number", () => {
  const { canvas, of } = paper();
  drawSamplers(
    canvas,
    [
      { x: 10, y: 20 },
      { x: 0, y: 0 },
    ],
    { left: 5, top: 7, scale: 4 } as never,
    1,
  );
  expect(of("fillText").map((a) => a[0])).toEqual(["1", "2"]);
  expect(of("moveTo")[0]).toEqual([5 + 10.5 * 4 - 7, 7 + 20.5 * 4]);
});

it("the magnifier keeps clear of the pointer and turns over at the far edges", () => {
  const bitmap = { width: 96, height: 96 } as ImageBitmap;
  const picture = new Sheet([bitmap]);
  const near = paper();
  drawLoupe(near.canvas, picture, { x: 100, y: 100 }, 1);
  expect(near.of("drawImage")[0]).toEqual([bitmap, 118, 118, 192, 192]);
  const corner = paper();
  drawLoupe(corner.canvas, picture, { x: 790, y: 590 }, 1);
  expect(corner.of("drawImage")[0]).toEqual([bitmap, 790 - 18 - 192, 590 - 18 - 192, 192, 192]);
  const dense = paper(1600, 1200);
  drawLoupe(dense.canvas, picture, { x: 100, y: 100 }, 2);
  expect(dense.of("drawImage")[0]).toEqual([bitmap, 136, 136, 384, 384]);
});
