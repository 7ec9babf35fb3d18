import type { View } from "../api/view";
import type { Box, Reduced } from "./enlarged";
import { smooths } from "./pace";
import { type Placement, place, type Size, type Viewport } from "./viewport";

/** A rendered window and, below it, the whole picture at fit size: what is shown until the window has come. */
export interface Layer {
  whole: View | null;
  part: View | null;
}

export interface Scene {
  viewport: Viewport;
  picture: Size;
  adjusted: Layer;
  original: Layer;
  compare: "none" | "original" | "split" | "side";
  /** Place of the split, 0..1 of the canvas' width. */
  split: number;
  warnings: boolean;
  surround: string;
}

const HIGHLIGHT = 1;
const SHADOW = 2;
const RAW = 4;
const GAMUT = 8;

/** Draws the picture, the split and the clipping hatching. No React, no network. */
export class Painter {
  private readonly masks = new WeakMap<ImageBitmap, HTMLCanvasElement>();
  private patterns: ReturnType<typeof hatches> | null = null;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly density: () => number,
  ) {}

  draw(scene: Scene): void {
    // without transparency the browser need not draw the page below it for every frame
    const context = this.canvas.getContext("2d", { alpha: false });
    if (!context) return;
    const { width, height } = this.canvas;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.fillStyle = scene.surround;
    context.fillRect(0, 0, width, height);
    const at = place(scene.viewport, this.canvas, scene.picture, this.density());
    const split = Math.round(scene.split * width);
    if (scene.compare === "original") this.layer(context, scene.original, scene, at, false);
    else if (scene.compare === "split") {
      this.clipped(context, 0, split, () => this.layer(context, scene.original, scene, at, false));
      this.clipped(context, split, width, () => this.layer(context, scene.adjusted, scene, at, scene.warnings));
      this.divider(context, split, height);
    } else if (scene.compare === "side") {
      const half = Math.round(width / 2);
      const own = place(scene.viewport, { width: half, height }, scene.picture, this.density());
      const right = { ...own, left: own.left + half };
      this.clipped(context, 0, half, () => this.layer(context, scene.original, scene, own, false));
      this.clipped(context, half, width, () => this.layer(context, scene.adjusted, scene, right, scene.warnings));
      this.divider(context, half, height);
    } else this.layer(context, scene.adjusted, scene, at, scene.warnings);
  }

  /** The one view that is all there is to be drawn, where it was made smaller than it is shown; null where more has to be drawn. */
  reduced(scene: Scene): Reduced | null {
    const { whole, part } = scene.adjusted;
    const view = part ?? whole;
    if (!view || scene.compare !== "none" || (scene.warnings && view.clipping)) return null;
    const at = place(scene.viewport, this.canvas, scene.picture, this.density());
    if (view.header.scaled_width + 1 >= scene.picture.width * Math.min(at.scale, 1)) return null;
    const box = boxOf(view, scene.picture, at);
    if (view === part && !covers(box, this.canvas, scene, at)) return null;
    return { view, box, smooth: smoothed(view, box, at) };
  }

  private clipped(context: CanvasRenderingContext2D, from: number, to: number, draw: () => void): void {
    context.save();
    context.beginPath();
    context.rect(from, 0, Math.max(to - from, 0), this.canvas.height);
    context.clip();
    draw();
    context.restore();
  }

  private layer(context: CanvasRenderingContext2D, layer: Layer, scene: Scene, at: Placement, warnings: boolean): void {
    for (const view of [layer.whole, layer.part]) {
      if (!view) continue;
      // what a window covers altogether need not be drawn below it
      if (view === layer.whole && layer.part && covers(boxOf(layer.part, scene.picture, at), this.canvas, scene, at))
        continue;
      const box = boxOf(view, scene.picture, at);
      context.imageSmoothingEnabled = smoothed(view, box, at);
      context.imageSmoothingQuality = "low";
      view.picture.draw(context, box.x, box.y, box.width, box.height);
    }
    const top = layer.part ?? layer.whole;
    if (warnings && top?.clipping) {
      const box = boxOf(top, scene.picture, at);
      this.hatching(context, top.clipping, box);
    }
  }

  private divider(context: CanvasRenderingContext2D, x: number, height: number): void {
    const d = this.density();
    context.fillStyle = "#161616";
    context.fillRect(x - d, 0, 2 * d, height);
    context.fillStyle = "#f6f6f6";
    context.fillRect(x - 2 * d, 0, d, height);
    context.fillRect(x + d, 0, d, height);
  }

  private hatching(context: CanvasRenderingContext2D, clipping: ImageBitmap, box: Box): void {
    this.patterns ??= hatches(context, this.density());
    for (const [bit, pattern] of [
      [RAW, this.patterns.raw],
      [HIGHLIGHT, this.patterns.highlight],
      [SHADOW, this.patterns.shadow],
      [GAMUT, this.patterns.gamut],
    ] as const) {
      const mask = this.mask(clipping, bit);
      if (!mask) continue;
      const scratch = new OffscreenCanvas(Math.max(box.width, 1), Math.max(box.height, 1));
      const paint = scratch.getContext("2d");
      if (!paint) continue;
      paint.imageSmoothingEnabled = false;
      paint.drawImage(mask, 0, 0, box.width, box.height);
      paint.globalCompositeOperation = "source-in";
      paint.fillStyle = pattern;
      paint.fillRect(0, 0, box.width, box.height);
      context.drawImage(scratch, box.x, box.y);
    }
  }

  /** The pixels of one bit as an opaque mask; null when there are none. */
  private mask(clipping: ImageBitmap, bit: number): HTMLCanvasElement | null {
    let sheet = this.masks.get(clipping);
    if (!sheet) {
      sheet = document.createElement("canvas");
      sheet.width = clipping.width;
      sheet.height = clipping.height;
      sheet.getContext("2d", { willReadFrequently: true })?.drawImage(clipping, 0, 0);
      this.masks.set(clipping, sheet);
    }
    const source = sheet.getContext("2d", { willReadFrequently: true })?.getImageData(0, 0, sheet.width, sheet.height);
    if (!source) return null;
    const out = new ImageData(sheet.width, sheet.height);
    let found = false;
    for (let i = 0; i < source.data.length; i += 4) {
      if ((source.data[i] ?? 0) & bit) {
        out.data[i + 3] = 255;
        found = true;
      }
    }
    if (!found) return null;
    const mask = document.createElement("canvas");
    mask.width = sheet.width;
    mask.height = sheet.height;
    mask.getContext("2d")?.putImageData(out, 0, 0);
    return mask;
  }
}

/** Pixel on pixel is a plain copy; resampling the same size would cost ten times that. From two to one on pixels are to be seen. */
function smoothed(view: View, box: Box, at: Placement): boolean {
  const same = box.width === view.picture.width && box.height === view.picture.height;
  return at.scale < 2 && !same && smooths(box);
}

/** Whether a window covers all of the picture that the canvas shows. */
function covers(box: Box, canvas: Size, { picture }: Scene, at: Placement): boolean {
  const right = Math.min(at.left + picture.width * at.scale, canvas.width);
  const bottom = Math.min(at.top + picture.height * at.scale, canvas.height);
  return (
    box.x <= Math.max(at.left, 0) + 1 &&
    box.y <= Math.max(at.top, 0) + 1 &&
    box.x + box.width >= right - 1 &&
    box.y + box.height >= bottom - 1
  );
}

function boxOf(view: View, picture: Size, at: Placement): Box {
  const h = view.header;
  const sx = (picture.width * at.scale) / h.scaled_width;
  const sy = (picture.height * at.scale) / h.scaled_height;
  const x = Math.round(at.left + h.x * sx);
  const y = Math.round(at.top + h.y * sy);
  return {
    x,
    y,
    width: Math.round(at.left + (h.x + h.width) * sx) - x,
    height: Math.round(at.top + (h.y + h.height) * sy) - y,
  };
}

/**
 * Hatching: rising lines for delivered highlights, falling for shadows, dots for the sensor's own limit,
 * small squares for colours outside the delivery space.
 */
function hatches(context: CanvasRenderingContext2D, density: number) {
  const make = (draw: (paint: OffscreenCanvasRenderingContext2D, size: number) => void): CanvasPattern => {
    const size = Math.round(7 * density);
    const tile = new OffscreenCanvas(size, size);
    const paint = tile.getContext("2d");
    if (paint) draw(paint, size);
    return context.createPattern(tile, "repeat") as CanvasPattern;
  };
  const lines = (colour: string, edge: string, falling: boolean) =>
    make((paint, s) => {
      for (const [style, width] of [
        [edge, 3 * density],
        [colour, 1.5 * density],
      ] as const) {
        paint.strokeStyle = style;
        paint.lineWidth = width;
        for (const o of [-s, 0, s]) {
          paint.beginPath();
          paint.moveTo(o - 1, falling ? -1 : s + 1);
          paint.lineTo(o + s + 1, falling ? s + 1 : -1);
          paint.stroke();
        }
      }
    });
  return {
    highlight: lines("#b93817", "rgba(255,255,255,.75)", false),
    shadow: lines("#f6f6f6", "rgba(0,0,0,.6)", true),
    gamut: make((paint, s) => {
      for (const [style, width] of [
        ["rgba(0,0,0,.55)", 2.6 * density],
        ["#f6f6f6", 1.2 * density],
      ] as const) {
        paint.strokeStyle = style;
        paint.lineWidth = width;
        paint.strokeRect(s * 0.25, s * 0.25, s * 0.5, s * 0.5);
      }
    }),
    raw: make((paint, s) => {
      paint.fillStyle = "#f6f6f6";
      paint.beginPath();
      paint.arc(s / 2, s / 2, 2.1 * density, 0, 7);
      paint.fill();
      paint.fillStyle = "#161616";
      paint.beginPath();
      paint.arc(s / 2, s / 2, 1.3 * density, 0, 7);
      paint.fill();
    }),
  };
}
