import { expect, test } from "vitest";
import type { View } from "../api/view";
import { drawSeen, Enlarged } from "./enlarged";
import { Painter, type Scene } from "./painter";
import { FIT } from "./viewport";

type Region = { x?: number; y?: number; width?: number; height?: number };

/** A view of a 3000 x 2000 picture at a size, whole or a window of it. */
function view(scaled: number, { x = 0, y = 0, width = scaled, height = (scaled * 2) / 3 }: Region = {}): View {
  const header = { scaled_width: scaled, scaled_height: (scaled * 2) / 3, x, y, width, height };
  return { header, picture: { width, height, fill: () => undefined }, clipping: null } as unknown as View;
}

const canvas = { width: 1600, height: 1100 } as HTMLCanvasElement;
const painter = new Painter(canvas, () => 1);
const scene = (whole: View | null, part: View | null, more: Partial<Scene> = {}): Scene => ({
  viewport: FIT,
  picture: { width: 3000, height: 2000 },
  adjusted: { whole, part },
  original: { whole: null, part: null },
  compare: "none",
  split: 0.5,
  warnings: false,
  surround: "#777",
  ...more,
});

test("a whole picture that was made smaller than its place stands for it, one of full size does not", () => {
  // at fit 1564 pixels of width are free: 1564 x 1043, upper left at (18, 29)
  const found = painter.reduced(scene(view(521), null));
  expect(found?.box).toEqual({ x: 18, y: 29, width: 1564, height: 1043 });
  expect(found?.smooth).toBe(true);
  expect(painter.reduced(scene(view(1564), null))).toBeNull();
  expect(painter.reduced(scene(null, null))).toBeNull();
});

test("nothing stands for the picture where more is drawn than it", () => {
  const small = view(521);
  expect(painter.reduced(scene(small, null, { compare: "split" }))).toBeNull();
  expect(painter.reduced(scene(small, null, { warnings: true }))).not.toBeNull();
  const clipped = { ...small, clipping: {} as ImageBitmap };
  expect(painter.reduced(scene(clipped, null, { warnings: true }))).toBeNull();
  expect(painter.reduced(scene(clipped, null))).not.toBeNull();
});

test("a window of it has to cover what is in sight", () => {
  // at 1:1 the middle 1600 x 1100 is in sight: half of that at half size
  const viewport = { zoom: 1, centreX: 0.5, centreY: 0.5 };
  const window = { x: 350, y: 225, width: 800, height: 550 };
  const found = painter.reduced(scene(view(521), view(1500, window), { viewport }));
  expect(found?.box).toEqual({ x: 0, y: 0, width: 1600, height: 1100 });
  const moved = { ...window, x: 360 };
  expect(painter.reduced(scene(view(521), view(1500, moved), { viewport }))).toBeNull();
  // full size at 1:1, and shown twice as large: pixel for pixel
  const full = { x: 700, y: 450, width: 1600, height: 1100 };
  expect(painter.reduced(scene(view(521), view(3000, full), { viewport }))).toBeNull();
  expect(painter.reduced(scene(null, view(3000, full), { viewport: { ...viewport, zoom: 2 } }))).toBeNull();
});

test("from two to one on pixels are to be seen, reduced ones too", () => {
  const seen = (zoom: number) => {
    const viewport = { zoom, centreX: 0.5, centreY: 0.5 };
    const [width, height] = [800 / zoom, 550 / zoom];
    const window = { x: 750 - width / 2, y: 500 - height / 2, width, height };
    return painter.reduced(scene(null, view(1500, window), { viewport }))?.smooth;
  };
  expect([seen(1.6), seen(2)]).toEqual([true, false]);
});

test("it hides the large canvas, lies where the picture lies, and gives way again", () => {
  const drawn: unknown[][] = [];
  const pen = { drawImage: (...args: unknown[]) => drawn.push(args) } as unknown as CanvasRenderingContext2D;
  const large = { style: {} } as HTMLCanvasElement;
  const small = { style: {}, width: 0, height: 0, getContext: () => pen } as unknown as HTMLCanvasElement;
  const enlarged = new Enlarged(large, small, () => 2);
  drawSeen(pen, large, 10, 20, 30);
  expect(drawn.pop()).toEqual([large, 10, 20, 30, 30, 0, 0, 30, 30]);
  enlarged.show({ view: view(500), box: { x: 100, y: 40, width: 1000, height: 666 }, smooth: false });
  expect(large.style.visibility).toBe("hidden");
  expect(small).toMatchObject({ width: 500, style: { visibility: "visible", imageRendering: "pixelated" } });
  expect(small.style).toMatchObject({ left: "50px", top: "20px", width: "500px", height: "333px" });
  enlarged.show({ view: view(500), box: { x: 100, y: 40, width: 1000, height: 666 }, smooth: true });
  expect(small.style.imageRendering).toBe("auto");
  // what is seen at (300, 40) of the large canvas lies at (100, 0) of the small one
  drawSeen(pen, large, 300, 40, 30);
  const [source, x, y, width] = drawn.pop() as [HTMLCanvasElement, number, number, number];
  expect([source, x, y, width]).toEqual([small, 100, 0, 15]);
  enlarged.hide();
  expect([large.style.visibility, small.style.visibility]).toEqual(["visible", "hidden"]);
  drawSeen(pen, large, 1, 2, 3);
  expect(drawn.pop()?.[0]).toBe(large);
});
