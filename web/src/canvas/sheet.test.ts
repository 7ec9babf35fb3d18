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

it("gives all its memory back", () => {
  const strips = [strip(3), strip(4)];
  new Sheet(strips).close();
  for (const s of strips) expect(s.close).toHaveBeenCalledOnce();
});
