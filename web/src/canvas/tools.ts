/**
 * Canvas tools as small state machines: pointer and key events in, one intention out. They know nothing of React,
 * drawing or the network. Coordinates are device pixels of the canvas.
 */
export interface PointerInput {
  kind: "down" | "move" | "up" | "cancel";
  x: number;
  y: number;
}

export type Intention =
  | { do: "pan"; dx: number; dy: number }
  | { do: "pick"; x: number; y: number; radius: number }
  | { do: "mark"; x: number; y: number; radius: number }
  | { do: "split"; x: number }
  | { do: "tone start"; x: number; y: number }
  | { do: "tone"; dy: number; end: boolean }
  | { do: "click"; x: number; y: number }
  | { do: "nothing" };

const NOTHING: Intention = { do: "nothing" };
const SLACK = 3;

export interface Tool {
  readonly cursor: string;
  handle(input: PointerInput): Intention;
}

/** Drags the picture; a press without movement is a click. */
export class HandTool implements Tool {
  private state: { x: number; y: number; moved: boolean } | null = null;
  readonly cursor = "grab";

  handle(input: PointerInput): Intention {
    if (input.kind === "down") {
      this.state = { x: input.x, y: input.y, moved: false };
      return NOTHING;
    }
    const state = this.state;
    if (!state) return NOTHING;
    if (input.kind === "move") {
      const dx = input.x - state.x;
      const dy = input.y - state.y;
      if (!state.moved && Math.hypot(dx, dy) < SLACK) return NOTHING;
      this.state = { x: input.x, y: input.y, moved: true };
      return { do: "pan", dx, dy };
    }
    this.state = null;
    return input.kind === "up" && !state.moved ? { do: "click", x: input.x, y: input.y } : NOTHING;
  }
}

/** Picks an area: a press is a small spot, a drag opens a larger square about the start. */
export class PickTool implements Tool {
  private start: { x: number; y: number } | null = null;
  readonly cursor = "crosshair";

  handle(input: PointerInput): Intention {
    if (input.kind === "down") {
      this.start = { x: input.x, y: input.y };
      return { do: "mark", ...this.start, radius: SLACK };
    }
    const start = this.start;
    if (!start) return NOTHING;
    const radius = Math.max(SLACK, Math.max(Math.abs(input.x - start.x), Math.abs(input.y - start.y)));
    if (input.kind === "move") return { do: "mark", ...start, radius };
    this.start = null;
    return input.kind === "up" ? { do: "pick", ...start, radius } : NOTHING;
  }
}

/** Presses on a tone and drags it up or down. */
export class DragTool implements Tool {
  private from: number | null = null;
  readonly cursor = "ns-resize";

  handle(input: PointerInput): Intention {
    if (input.kind === "down") {
      this.from = input.y;
      return { do: "tone start", x: input.x, y: input.y };
    }
    if (this.from === null) return NOTHING;
    const dy = input.kind === "cancel" ? 0 : input.y - this.from;
    const end = input.kind !== "move";
    if (end) this.from = null;
    return { do: "tone", dy, end };
  }
}

/** Moves the divider of the split when pressed on it; hands everything else on. */
export class SplitTool implements Tool {
  private dragging = false;
  readonly cursor = "grab";

  constructor(
    private readonly divider: () => number,
    private readonly reach: () => number,
    private readonly beneath: Tool,
  ) {}

  handle(input: PointerInput): Intention {
    if (input.kind === "down" && Math.abs(input.x - this.divider()) <= this.reach()) this.dragging = true;
    if (!this.dragging) return this.beneath.handle(input);
    if (input.kind === "up" || input.kind === "cancel") this.dragging = false;
    return { do: "split", x: input.x };
  }
}
