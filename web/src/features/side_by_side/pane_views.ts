import type { Recipe } from "../../api/generated/recipe";
import { closeView, fetchView, type View } from "../../api/view";
import { Latest } from "../../canvas/latest";
import { type Layer, Painter } from "../../canvas/painter";
import { fitBox, type RequestWindow, type Size, type Viewport, windowInSight } from "../../canvas/viewport";
import { SURROUNDS } from "../../state/bench";
import { complain } from "../../state/notices";
import { density } from "../bench/picture_zoom";

interface Ask {
  window: RequestWindow;
  whole: boolean;
}

/** What one pane shows of a frame: asked for at the size and place that is in sight, the newest only. No React. */
export class PaneViews {
  readonly picture: Size;
  private readonly layer: Layer = { whole: null, part: null };
  private readonly painter: Painter;
  private readonly latest: Latest<Ask, View>;
  private readonly parts: Latest<Ask, View>;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly frame: { id: number; width: number; height: number },
    private readonly recipe: Recipe,
    private readonly viewport: () => Viewport,
    place: string,
  ) {
    this.picture = { width: frame.width, height: frame.height };
    this.painter = new Painter(canvas, density);
    const send = (line: string) => (ask: Ask, signal: AbortSignal, received: () => void) =>
      fetchView(
        this.frame.id,
        this.recipe,
        ask.window,
        { box: ask.whole, urgency: "seen", place: `${place}:${line}` },
        signal,
        received,
      );
    this.latest = new Latest(send("whole"), (view) => this.show(view, true), complain, closeView);
    this.parts = new Latest(send("part"), (view) => this.show(view, false), complain, closeView);
  }

  /** Asks for what is in sight; what is there already is moved at once. */
  request(): void {
    if (this.canvas.width < 2) return;
    const view = this.viewport();
    if (!this.layer.whole) this.latest.ask({ window: fitBox(this.canvas, density()), whole: true });
    if (view.zoom === "fit") {
      closeView(this.layer.part);
      this.layer.part = null;
      this.latest.ask({ window: fitBox(this.canvas, density()), whole: true });
    } else this.parts.ask({ window: windowInSight(view, this.canvas, this.picture, density()), whole: false });
    this.draw();
  }

  draw(): void {
    requestAnimationFrame(() =>
      this.painter.draw({
        viewport: this.viewport(),
        picture: this.picture,
        adjusted: this.layer,
        original: this.layer,
        compare: "none",
        split: 0,
        warnings: false,
        surround: SURROUNDS.grey,
      }),
    );
  }

  close(): void {
    this.latest.stop();
    this.parts.stop();
    closeView(this.layer.whole);
    closeView(this.layer.part);
    this.layer.whole = this.layer.part = null;
  }

  private show(view: View, whole: boolean): void {
    this.picture.width = view.header.full_width;
    this.picture.height = view.header.full_height;
    const which = whole ? "whole" : "part";
    closeView(this.layer[which]);
    this.layer[which] = view;
    if (!whole && this.viewport().zoom === "fit") {
      closeView(view);
      this.layer.part = null;
    }
    this.draw();
  }
}
