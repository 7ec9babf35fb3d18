import { expect, it, vi } from "vitest";
import { Sheet } from "./sheet";

const strip = (height: number) => ({ width: 40, height, close: vi.fn() }) as unknown as ImageBitmap;

function paper() {
  const drawn: unknown[][] = [];
  return {
    drawn,
    context: { drawImage: (...args: unknown[]) => drawn.push(args) } as unknown as CanvasRenderingContext2D,
  };
}

it("strips are put under each other, pixel on pixel", () => {
  const [a, b] = [strip(16), strip(9)];
  const sheet = new Sheet([a, b]);
  expect([sheet.width, sheet.height]).toEqual([40, 25]);
  const { drawn, context } = paper();
  sheet.draw(context, 3, 5, 40, 25);
  expect(drawn).toEqual([
    [a, 3, 5],
    [b, 3, 21],
  ]);
});

it("for another size they are joined once, so that no seam is resampled", () => {
  const whole = paper();
  let made = 0;
  vi.stubGlobal(
    "OffscreenCanvas",
    class {
      constructor() {
        made += 1;
      }
      getContext = () => whole.context;
    },
  );
  const sheet = new Sheet([strip(16), strip(9)]);
  const { drawn, context } = paper();
  sheet.draw(context, 0, 0, 80, 50);
  sheet.draw(context, 0, 0, 20, 12);
  expect(made).toBe(1);
  expect(whole.drawn.map((d) => d.slice(1))).toEqual([
    [0, 0],
    [0, 16],
  ]);
  expect(drawn.map((d) => d.slice(1))).toEqual([
    [0, 0, 80, 50],
    [0, 0, 20, 12],
  ]);
  vi.unstubAllGlobals();
});

it("plain pixels fill a canvas of their size, and are made a source once where more is drawn", () => {
  const filled: unknown[][] = [];
  const put = (...args: unknown[]) => filled.push(args);
  let made = 0;
  vi.stubGlobal(
    "OffscreenCanvas",
    class {
      constructor(
        readonly width: number,
        readonly height: number,
      ) {
        made += 1;
      }
      getContext = () => ({ putImageData: put });
    },
  );
  const pixels = { width: 40, height: 30 } as ImageData;
  const sheet = new Sheet([], pixels);
  expect([sheet.width, sheet.height]).toEqual([40, 30]);
  sheet.fill({ putImageData: put } as unknown as CanvasRenderingContext2D);
  expect([filled, made]).toEqual([[[pixels, 0, 0]], 0]);
  // what a context leaves out, clips for instance, is kept to also at its own size
  const { drawn, context } = paper();
  sheet.draw(context, 3, 5);
  sheet.draw(context, 3, 5, 80, 60);
  expect(made).toBe(1);
  expect(filled.length).toBe(2);
  expect(drawn.map((d) => d.slice(1))).toEqual([
    [3, 5, 40, 30],
    [3, 5, 80, 60],
  ]);
  vi.unstubAllGlobals();
});

it("a canvas is filled by strips, too", () => {
  const [a, b] = [strip(16), strip(9)];
  const { drawn, context } = paper();
  new Sheet([a, b]).fill(context);
  expect(drawn).toEqual([
    [a, 0, 0],
    [b, 0, 16],
  ]);
});

it("gives all its memory back", () => {
  const strips = [strip(3), strip(4)];
  new Sheet(strips).close();
  for (const s of strips) expect(s.close).toHaveBeenCalledOnce();
});
