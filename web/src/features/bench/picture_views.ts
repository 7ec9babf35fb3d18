import type { Recipe } from "../../api/generated/recipe";
import { closeView, fetchView, toldOf, type View } from "../../api/view";
import { Latest } from "../../canvas/latest";
import type { Pace } from "../../canvas/pace";
import type { Layer } from "../../canvas/painter";
import { fitBox, pixelsOf, type RequestWindow, reduced, type Size, windowInSight } from "../../canvas/viewport";
import { useBench } from "../../state/bench";
import { equal } from "../../state/equal";
import { complain } from "../../state/notices";
import { type Ask, adjustedOptions, asksForSlow, loupeWindow, previewOf, unadjusted } from "./picture_data";
import { density, roomOf } from "./picture_zoom";

type Which = "adjusted" | "original";

/** How long a hand rests before the sharp picture is asked for; longer while it holds a repair, which takes as long to be exact. */
const REST_MS = 60;
const REST_ON_REPAIR_MS = 350;
/** How long nothing moves before what takes seconds is begun. */
const SLOW_AFTER_MS = 500;
const EMPTY = (): Layer => ({ whole: null, part: null });

/** Whether a hand is on a repair: those are worked out less exactly meanwhile. */
const repairMoves = (s: ReturnType<typeof useBench.getState>): boolean =>
  s.moving && s.draft !== null && s.version !== null && !equal(s.draft.repair, s.version.recipe.repair);

/** What stands beside the adjusted picture: another version in this one's frame, else the frame as it came in. */
const otherSide = (draft: Recipe | null, against: Recipe | undefined, raw: boolean): Recipe | null =>
  draft && against ? { ...against, framing: draft.framing } : unadjusted(draft, raw);

/**
 * The rendered pictures of one frame: what is asked of the server, how large while a hand moves, and what is shown of it. While a
 * hand moves pictures come at a size that this machine keeps up with; the sharp one follows when it rests. No React.
 */
export class PictureViews {
  readonly layers = { adjusted: EMPTY(), original: EMPTY() };
  loupe: View | null = null;
  private readonly latest: Record<Which | "loupe", Latest<Ask, View>>;
  private sharpen: ReturnType<typeof setTimeout> | undefined;
  private slow: ReturnType<typeof setTimeout> | undefined;
  /** What was asked for last is smaller or less exact than what follows when the hand rests. */
  private quick: Record<Which, boolean> = { adjusted: false, original: false };
  private closed = false;

  constructor(
    private readonly frame: { id: number; raw: boolean },
    private readonly canvas: () => HTMLCanvasElement | null,
    /** The finished picture's size; known when its first view has come, until then the file's. */
    private readonly picture: Size,
    /** Draws at once: a picture and what is told of it come with the same frame of the screen, each of which costs all of the window. */
    private readonly draw: () => void,
    private readonly pace: Pace,
  ) {
    const send = (ask: Ask, signal: AbortSignal, received: () => void) =>
      fetchView(ask.frame, ask.recipe, ask.window, ask.options, signal, received);
    const show = (view: View, ask: Ask) => this.show(view, ask);
    const failed = (error: unknown, ask: Ask) => {
      if (ask.slow) useBench.setState({ slow: "none" });
      complain(error);
    };
    this.latest = {
      adjusted: new Latest(send, show, failed, closeView),
      original: new Latest(send, show, complain, closeView),
      loupe: new Latest(send, (view) => this.showLoupe(view), complain, closeView),
    };
  }

  /** The camera's own picture until ours is there. */
  async standIn(embedded: boolean): Promise<void> {
    const view = await previewOf(this.frame.id, embedded, this.picture);
    if (!view || this.closed || this.layers.adjusted.whole) return closeView(view);
    this.layers.adjusted.whole = view;
    this.draw();
  }

  /** Asks for what is in sight under the bench's recipe. */
  request(which: Which, moving = false): void {
    const element = this.canvas();
    const s = useBench.getState();
    if (!element || s.frame !== this.frame.id || !s.draft || element.width < 2) return;
    clearTimeout(this.sharpen);
    if (which === "adjusted") {
      clearTimeout(this.slow);
      if (s.slow !== "none") useBench.setState({ slow: "none" });
    }
    const room = roomOf(element);
    const layer = this.layers[which];
    const fit = s.viewport.zoom === "fit";
    const box = fitBox(room, density());
    const inSight = fit ? box : windowInSight(s.viewport, room, this.picture, density());
    const pixels = fit ? pixelsOf(box, this.picture) : inSight.width * inSight.height;
    const share = moving ? this.pace.shareFor(pixels) : 1;
    const rough = moving && repairMoves(s);
    this.quick[which] = share < 1 || rough;
    const ask = (window: RequestWindow, whole: boolean, at: number): Ask => ({
      frame: this.frame.id,
      recipe: which === "original" ? otherSide(s.draft, s.against?.recipe, this.frame.raw) : s.draft,
      window: reduced(window, at),
      options: {
        ...(which === "adjusted" ? adjustedOptions(whole, this.frame.raw) : {}),
        box: whole,
        quick: at < 1 || rough,
        urgency: moving ? "hand" : "seen",
        place: which,
      },
      whole,
      which,
      since: performance.now(),
      moving,
      share: at,
      quick: at < 1 || rough,
      slow: false,
    });
    // a sharp picture is not waited for when the hand moves on, nor a reduced one when it has let go
    const stale = (sent: Ask) => sent.slow || (this.quick[which] !== sent.quick && (fit || layer.whole !== null));
    if (fit || !layer.whole) this.latest[which].ask(ask(box, true, fit ? share : 1), stale);
    if (!fit) this.latest[which].ask(ask(inSight, false, share), stale);
  }

  /** The hand has let go: the sharp picture, unless it is there or on its way. */
  rested(): void {
    if (this.quick.adjusted) this.request("adjusted");
  }

  askLoupe(at: { x: number; y: number } | null): void {
    const s = useBench.getState();
    if (!s.magnifier || !at || !s.draft) return;
    this.latest.loupe.ask({
      frame: this.frame.id,
      recipe: s.draft,
      window: loupeWindow(at, this.picture),
      options: { urgency: "hand", place: "loupe" },
      whole: false,
      which: "adjusted",
      since: performance.now(),
      moving: false,
      share: 1,
      quick: false,
      slow: false,
    });
  }

  /** At fit there are no windows. */
  dropParts(): void {
    for (const layer of [this.layers.adjusted, this.layers.original]) {
      closeView(layer.part);
      layer.part = null;
    }
  }

  /** Another frame comes: nothing of this one is shown any more. */
  close(): void {
    this.closed = true;
    clearTimeout(this.sharpen);
    clearTimeout(this.slow);
    for (const latest of Object.values(this.latest)) latest.stop();
    for (const layer of [this.layers.adjusted, this.layers.original]) {
      closeView(layer.whole);
      closeView(layer.part);
      layer.whole = layer.part = null;
    }
    closeView(this.loupe);
    this.loupe = null;
  }

  private show(view: View, ask: Ask): void {
    if (useBench.getState().frame !== ask.frame) {
      closeView(view);
      return;
    }
    const layer = this.layers[ask.which];
    const { full_width, full_height } = view.header;
    const resized = full_width !== this.picture.width || full_height !== this.picture.height;
    if (resized) {
      this.picture.width = full_width;
      this.picture.height = full_height;
      if (layer.whole) {
        closeView(layer.part);
        layer.part = null;
      }
    }
    if (ask.moving) this.pace.took(ask.share, performance.now() - ask.since);
    closeView(layer.part);
    if (ask.whole) {
      closeView(layer.whole);
      layer.whole = view;
      layer.part = null;
    } else layer.part = view;
    // unless the sharp one has been asked for since: the hand has let go
    if (ask.quick && this.quick[ask.which]) {
      clearTimeout(this.sharpen);
      const rest = repairMoves(useBench.getState()) ? REST_ON_REPAIR_MS : REST_MS;
      this.sharpen = setTimeout(() => this.request(ask.which), rest);
    }
    const again = resized && useBench.getState().viewport.zoom !== "fit";
    if (again) this.request("adjusted");
    if (ask.slow) useBench.setState({ header: view.header, slow: "shown" });
    else if (ask.which === "adjusted") {
      const drawMs = Math.round(performance.now() - ask.since);
      useBench.setState({ header: toldOf(view.header, ask.share), drawMs });
      const atFullSize = view.header.scaled_width >= view.header.full_width;
      if (!ask.quick && !again && atFullSize && asksForSlow(ask.recipe)) this.asDelivered(ask);
    }
    this.draw();
  }

  /** What is in sight once more as a delivery has it, when nothing has been asked for in the meantime. */
  private asDelivered(shown: Ask): void {
    clearTimeout(this.slow);
    this.slow = setTimeout(() => {
      useBench.setState({ slow: "working" });
      const options = { ...shown.options, best: true, urgency: "rest" as const };
      this.latest.adjusted.ask({ ...shown, options, slow: true });
    }, SLOW_AFTER_MS);
  }

  private showLoupe(view: View): void {
    closeView(this.loupe);
    this.loupe = view;
    this.draw();
  }
}
