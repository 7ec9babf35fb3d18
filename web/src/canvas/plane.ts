/** The corrected plane of the framing step: rectangles, outlines, and where they lie on the screen. Pure arithmetic. */
import type { Size } from "./viewport";

export type Point = readonly [number, number];
/** Left, top, width, height in plane pixels. */
export type Rect = readonly [number, number, number, number];
export type Edge = "left" | "right" | "top" | "bottom";
export type Grip = Edge | "top left" | "top right" | "bottom left" | "bottom right" | "move";
export type Overlay = "none" | "thirds" | "golden" | "centre" | "diagonals" | "grid";

export interface PlanePlacement {
  scale: number;
  left: number;
  top: number;
}

/** A rectangle of the plane centred in a box of screen pixels, never enlarged beyond one to one. */
export function placePlane(shown: Rect, box: Size, margin: number): PlanePlacement {
  const room = { width: Math.max(box.width - 2 * margin, 1), height: Math.max(box.height - 2 * margin, 1) };
  const scale = Math.min(room.width / shown[2], room.height / shown[3], 1);
  return {
    scale,
    left: (box.width - shown[2] * scale) / 2 - shown[0] * scale,
    top: (box.height - shown[3] * scale) / 2 - shown[1] * scale,
  };
}

export function toScreen(at: PlanePlacement, [x, y]: Point): [number, number] {
  return [at.left + x * at.scale, at.top + y * at.scale];
}

export function toPlane(at: PlanePlacement, x: number, y: number): [number, number] {
  return [(x - at.left) / at.scale, (y - at.top) / at.scale];
}

/** Width to height of "4:5"; null for a ratio that is free. */
export function ratioOf(text: string, original: number): number | null {
  if (text === "free") return null;
  if (text === "original") return original;
  const [a, b] = text.split(":").map(Number);
  return a && b ? a / b : null;
}

/** Whether a point lies inside a closed outline. */
export function inside(outline: readonly Point[], [x, y]: Point): boolean {
  let odd = false;
  for (let i = 0, j = outline.length - 1; i < outline.length; j = i++) {
    const [xi, yi] = outline[i] as Point;
    const [xj, yj] = outline[j] as Point;
    if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) odd = !odd;
  }
  return odd;
}

/** Whether an outline covers a rectangle, all but a sliver at its edge. */
export function covers(outline: readonly Point[], [left, top, width, height]: Rect, sliver = 0.75): boolean {
  const s = Math.min(sliver, width / 4, height / 4);
  for (let i = 0; i <= 8; i++) {
    const x = left + s + ((width - 2 * s) * i) / 8;
    const y = top + s + ((height - 2 * s) * i) / 8;
    const edge: Point[] = [
      [x, top + s],
      [x, top + height - s],
      [left + s, y],
      [left + width - s, y],
    ];
    if (!edge.every((p) => inside(outline, p))) return false;
  }
  return true;
}

const between = (a: Rect, b: Rect, t: number): Rect => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
  a[3] + (b[3] - a[3]) * t,
];

/** As far from a covered rectangle towards a wanted one as the outline goes; each direction is followed on its own. */
export function kept(from: Rect, wanted: Rect, outline: readonly Point[]): Rect {
  if (covers(outline, wanted)) return wanted;
  const along = (start: Rect, end: Rect): Rect => {
    let low = 0;
    let high = 1;
    for (let i = 0; i < 14; i++) {
      const t = (low + high) / 2;
      if (covers(outline, between(start, end, t))) low = t;
      else high = t;
    }
    return between(start, end, low);
  };
  const both = along(from, wanted);
  // a move that is stopped in one direction slides along in the other
  const moving = Math.abs(from[2] - wanted[2]) < 1e-6 && Math.abs(from[3] - wanted[3]) < 1e-6;
  if (!moving) return both;
  const across = along(both, [wanted[0], both[1], both[2], both[3]]);
  return along(across, [across[0], wanted[1], across[2], across[3]]);
}

export const LEAST_SIDE = 24;

/** A rectangle with a grip dragged by (dx, dy) plane pixels. With a ratio the opposite corner or edge's middle stays. */
export function dragged(from: Rect, grip: Grip, dx: number, dy: number, ratio: number | null): Rect {
  let [left, top, width, height] = from;
  if (grip === "move") return [left + dx, top + dy, width, height];
  const right = left + width;
  const bottom = top + height;
  const moves = {
    left: grip.includes("left"),
    right: grip.includes("right"),
    top: grip.includes("top"),
    bottom: grip.includes("bottom"),
  };
  if (moves.left) width = Math.max(width - dx, LEAST_SIDE);
  if (moves.right) width = Math.max(width + dx, LEAST_SIDE);
  if (moves.top) height = Math.max(height - dy, LEAST_SIDE);
  if (moves.bottom) height = Math.max(height + dy, LEAST_SIDE);
  if (ratio !== null) {
    const corner = (moves.left || moves.right) && (moves.top || moves.bottom);
    if (corner ? Math.abs(dx) * height > Math.abs(dy) * width : moves.left || moves.right) height = width / ratio;
    else width = height * ratio;
    if (height < LEAST_SIDE) [width, height] = [LEAST_SIDE * ratio, LEAST_SIDE];
  }
  left = moves.left ? right - width : moves.right ? left : left + (right - left - width) / 2;
  top = moves.top ? bottom - height : moves.bottom ? top : top + (bottom - top - height) / 2;
  return [left, top, width, height];
}

/** A rectangle of another ratio with the same middle and about the same area, shrunk until the outline covers it. */
export function withRatio(from: Rect, ratio: number, outline: readonly Point[] | null): Rect {
  const [left, top, width, height] = from;
  const area = width * height;
  const at = (share: number): Rect => {
    const h = Math.sqrt(area / ratio) * share;
    const w = h * ratio;
    return [left + (width - w) / 2, top + (height - h) / 2, w, h];
  };
  if (!outline || covers(outline, at(1))) return at(1);
  let low = 0;
  let high = 1;
  for (let i = 0; i < 14; i++) {
    const t = (low + high) / 2;
    if (covers(outline, at(t))) low = t;
    else high = t;
  }
  return at(low);
}

const PHI = (Math.sqrt(5) - 1) / 2;

/** Lines of an overlay in a unit square: x0, y0, x1, y1. Diagonals run at 45 degrees from the corners and need the ratio. */
export function overlayLines(overlay: Overlay, ratio: number): [number, number, number, number][] {
  const cross = (shares: number[]): [number, number, number, number][] =>
    shares.flatMap((t) => [
      [t, 0, t, 1] as [number, number, number, number],
      [0, t, 1, t] as [number, number, number, number],
    ]);
  switch (overlay) {
    case "thirds":
      return cross([1 / 3, 2 / 3]);
    case "golden":
      return cross([1 - PHI, PHI]);
    case "centre":
      return cross([0.5]);
    case "grid":
      return cross([1, 2, 3, 4, 5, 6, 7].map((i) => i / 8));
    case "diagonals": {
      const w = Math.min(1 / ratio, 1);
      const h = Math.min(ratio, 1);
      return [
        [0, 0, w, h],
        [1, 0, 1 - w, h],
        [0, 1, w, 1 - h],
        [1, 1, 1 - w, 1 - h],
      ];
    }
    default:
      return [];
  }
}

/** Whether a line is nearer to upright or to level. */
export function kindOf([x0, y0]: Point, [x1, y1]: Point): "plumb" | "level" {
  return Math.abs(x1 - x0) >= Math.abs(y1 - y0) ? "level" : "plumb";
}
