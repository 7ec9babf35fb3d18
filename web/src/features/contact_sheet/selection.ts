import type { Frame } from "../../api/client";

export type Filter = "all" | "keep" | "maybe" | "drop" | "unmarked" | "adjusted" | "delivered";

export const FILTERS: readonly (readonly [Filter, string])[] = [
  ["all", "all"],
  ["keep", "kept"],
  ["maybe", "maybe"],
  ["drop", "dropped"],
  ["unmarked", "unmarked"],
  ["adjusted", "adjusted"],
  ["delivered", "delivered"],
];

export function matches(frame: Frame, filter: Filter, stars: number): boolean {
  if (frame.stars < stars) return false;
  switch (filter) {
    case "all":
      return true;
    case "unmarked":
      return frame.mark === "";
    case "adjusted":
      return frame.adjusted;
    case "delivered":
      return frame.delivered > 0;
    default:
      return frame.mark === filter;
  }
}

/** The frame some places further, kept inside the list; the first when nothing is current. */
export function next<T extends { id: number }>(frames: readonly T[], current: number | null, step: number): T | null {
  const at = frames.findIndex((f) => f.id === current);
  if (at < 0) return frames[0] ?? null;
  const target = at + step;
  return target < 0 || target >= frames.length ? null : (frames[target] ?? null);
}
