/**
 * A rendered picture as it came: one bitmap, or strips of rows that were coded and decoded at the same time, or plain pixels. Drawn
 * pixel on pixel the strips join exactly; for any other size they are put together first, so that no seam is resampled.
 */
export class Sheet {
  readonly width: number;
  readonly height: number;
  private whole: CanvasImageSource | null = null;

  constructor(
    private readonly strips: readonly ImageBitmap[],
    private readonly pixels: ImageData | null = null,
  ) {
    this.width = pixels?.width ?? strips[0]?.width ?? 0;
    this.height = pixels?.height ?? strips.reduce((sum, s) => sum + s.height, 0);
  }

  /** Makes a canvas of its size show it, whatever was there. */
  fill(context: CanvasRenderingContext2D): void {
    if (this.pixels) context.putImageData(this.pixels, 0, 0);
    else this.draw(context, 0, 0);
  }

  /** Draws all of it, or a part given in its own pixels, into a rectangle. */
  draw(
    context: CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D,
    x: number,
    y: number,
    width: number = this.width,
    height: number = this.height,
  ): void {
    if (width === this.width && height === this.height && !this.pixels) {
      let top = y;
      for (const strip of this.strips) {
        context.drawImage(strip, x, top);
        top += strip.height;
      }
    } else context.drawImage(this.joined(), x, y, width, height);
  }

  /** All of it as one source. */
  joined(): CanvasImageSource {
    const [only] = this.strips;
    if (this.strips.length === 1 && only) return only;
    if (!this.whole) {
      const canvas = new OffscreenCanvas(this.width, this.height);
      const context = canvas.getContext("2d");
      if (this.pixels) context?.putImageData(this.pixels, 0, 0);
      else if (context) this.draw(context, 0, 0);
      this.whole = canvas;
    }
    return this.whole;
  }

  /** Gives its memory back; it may not be drawn any more. */
  close(): void {
    for (const strip of this.strips) strip.close();
    this.whole = null;
  }
}
