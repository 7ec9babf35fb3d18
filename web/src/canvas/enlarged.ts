import type { View } from "../api/view";
import type { Size } from "./viewport";

/** Where a view lies on the canvas, in device pixels. */
export interface Box extends Size {
  x: number;
  y: number;
}

/** A view that is shown larger than it was made. */
export interface Reduced {
  view: View;
  box: Box;
  smooth: boolean;
}

const OF = new WeakMap<HTMLCanvasElement, Enlarged>();

/** Draws a square of what is seen on a picture's canvas, given in its device pixels, over a whole drawing surface. */
export function drawSeen(
  pen: CanvasRenderingContext2D,
  canvas: HTMLCanvasElement,
  x: number,
  y: number,
  side: number,
): void {
  const [source, left, top, width, height] = OF.get(canvas)?.seen(x, y, side) ?? [canvas, x, y, side, side];
  pen.drawImage(source, left, top, width, height, 0, 0, side, side);
}

/**
 * A reduced picture on a canvas of its own size, which the browser enlarges: while a hand moves nothing as large as the window is
 * drawn, copied or handed on. The large canvas is hidden meanwhile, since the browser copies it for every frame of the page, changed
 * or not.
 */
export class Enlarged {
  private shown: Reduced | null = null;

  constructor(
    private readonly large: HTMLCanvasElement,
    private readonly small: HTMLCanvasElement,
    private readonly density: () => number,
  ) {
    OF.set(large, this);
  }

  show(reduced: Reduced): void {
    const { large, small } = this;
    const { picture } = reduced.view;
    if (small.width !== picture.width || small.height !== picture.height) {
      small.width = picture.width;
      small.height = picture.height;
    }
    const context = small.getContext("2d", { alpha: false });
    if (!context) return;
    picture.fill(context);
    const { box, smooth } = reduced;
    const d = this.density();
    small.style.left = `${box.x / d}px`;
    small.style.top = `${box.y / d}px`;
    small.style.width = `${box.width / d}px`;
    small.style.height = `${box.height / d}px`;
    small.style.imageRendering = smooth ? "auto" : "pixelated";
    small.style.visibility = "visible";
    large.style.visibility = "hidden";
    this.shown = reduced;
  }

  hide(): void {
    if (!this.shown) return;
    this.shown = null;
    this.small.style.visibility = "hidden";
    this.large.style.visibility = "visible";
  }

  /** The canvas that a square of the large one is seen on, and where on it; null while the large one shows itself. */
  seen(x: number, y: number, side: number): [HTMLCanvasElement, number, number, number, number] | null {
    if (!this.shown) return null;
    const { box } = this.shown;
    const [across, down] = [this.small.width / box.width, this.small.height / box.height];
    return [this.small, (x - box.x) * across, (y - box.y) * down, side * across, side * down];
  }
}
