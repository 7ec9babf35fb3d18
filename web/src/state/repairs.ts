import { create } from "zustand";
import type { Recipe, Repair } from "../api/generated/recipe";
import { type Place, packed, unpacked } from "../canvas/strokes";
import { useBench } from "./bench";
import { type BrushSettings, plainBrush } from "./passes";

export type RepairKind = Repair["kind"];
export type RepairTool = "none" | RepairKind;

/** Dust that was found and is walked through. */
export interface FoundSpot {
  x: number;
  y: number;
  size: number;
  chance: number;
  dx: number;
  dy: number;
}
export interface Walk {
  frame: number;
  spots: FoundSpot[];
  at: number;
  /** What became of each: waiting, mended, or left as it is. */
  done: ("" | "mended" | "left")[];
}

interface Repairs {
  /** What the pointer does on the picture while the step is open. */
  tool: RepairTool;
  /** Id of the repair that is open. */
  open: string | null;
  brush: BrushSettings;
  /** Where clone and heal take from, in frame coordinates, as it was picked. */
  anchor: Place | null;
  /** Strokes go on from where the first began (the offset stays), or each begins at the picked place again. */
  aligned: boolean;
  mirrored: boolean;
  angle: number;
  /** Of a cover: linear values of the frame. */
  colour: [number, number, number] | null;
  grain: boolean;
  /** How far about a removal is looked, percent of its size. */
  reach: number;
  walk: Walk | null;
  /** Id of the removal for which is drawn where it may take from. */
  drawing: string | null;
  /** Repairs whose fill is on its way. */
  filling: readonly string[];
  setTool: (tool: RepairTool) => void;
  setBrush: (change: Partial<BrushSettings>) => void;
}

export const useRepairs = create<Repairs>((set, get) => ({
  tool: "none",
  open: null,
  brush: plainBrush(1.5, 70),
  anchor: null,
  aligned: true,
  mirrored: false,
  angle: 0,
  colour: null,
  grain: true,
  reach: 100,
  walk: null,
  drawing: null,
  filling: [],
  setTool: (tool) => {
    set({ tool, drawing: null, brush: { ...get().brush, erase: false } });
    useBench.setState({ tool: "hand" });
  },
  setBrush: (change) => set({ brush: { ...get().brush, ...change } }),
}));

/** Nothing is in the hand and nothing is open: another frame comes, or the step is left. */
export const putDown = () => useRepairs.setState({ tool: "none", open: null, anchor: null, walk: null, drawing: null });

export const MOST_REPAIRS = 600;
export const KIND_WORDS: Record<RepairKind, string> = {
  spot: "Spot",
  heal: "Heal",
  clone: "Clone",
  patch: "Patch",
  removal: "Removal",
  cover: "Cover",
};

export const repairsOf = (recipe: Recipe | null): Repair[] => recipe?.repair.repairs ?? [];

const withRepairs = (recipe: Recipe, repairs: Repair[]): Recipe => ({
  ...recipe,
  repair: { ...recipe.repair, repairs },
});

/** A recipe with one repair changed; null strikes it out. */
export function withRepair(recipe: Recipe, id: string, change: (repair: Repair) => Repair | null): Recipe {
  return withRepairs(
    recipe,
    repairsOf(recipe).flatMap((r) => {
      if (r.id !== id) return [r];
      const next = change(r);
      return next ? [next] : [];
    }),
  );
}

/** A recipe with a repair at the end, in the place of one with its id if that is there. */
export function withPut(recipe: Recipe, repair: Repair): Recipe {
  const repairs = repairsOf(recipe);
  const there = repairs.some((r) => r.id === repair.id);
  return withRepairs(recipe, there ? repairs.map((r) => (r.id === repair.id ? repair : r)) : [...repairs, repair]);
}

/** A recipe with a repair moved so that it is done where another one is. */
export function withOrder(recipe: Recipe, id: string, to: number): Recipe {
  const repairs = repairsOf(recipe);
  const one = repairs.find((r) => r.id === id);
  if (!one) return recipe;
  const rest = repairs.filter((r) => r.id !== id);
  const at = Math.min(Math.max(to, 0), rest.length);
  return withRepairs(recipe, [...rest.slice(0, at), one, ...rest.slice(at)]);
}

/** A repair of a kind with nothing drawn yet. */
export function newRepair(kind: RepairKind, id: string): Repair {
  return {
    id,
    kind,
    on: true,
    strength: 100,
    strokes: [],
    outline: [],
    source_outline: [],
    soften_px: 4,
    dx: 0,
    dy: 0,
    angle: 0,
    mirrored: false,
    candidate: 0,
    fill: "",
    seed: 0,
    reach: 100,
    colour: [0, 0, 0],
    grain: true,
  };
}

/** All drawn places of a repair, in frame coordinates. */
export function placesOf(repair: Repair): Place[] {
  return [...unpacked(repair.outline), ...repair.strokes.flatMap((s) => unpacked(s.points))];
}

/** Middle of what is drawn, and half its size with the brush, in frame coordinates. */
export function extentOf(repair: Repair): { middle: Place; radius: number } {
  const places = placesOf(repair);
  const xs = places.map((p) => p[0]);
  const ys = places.map((p) => p[1]);
  const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const brush = repair.kind === "patch" ? 0 : Math.max(0, ...repair.strokes.map((s) => s.size)) / 2;
  return {
    middle: [(left + right) / 2, (top + bottom) / 2],
    radius: Math.max(right - left, bottom - top) / 2 + brush,
  };
}

/** A drawn outline, closed, a few places of it; empty where none is drawn. */
export function outlineOf(numbers: readonly number[], most = 40): Place[] {
  const all = unpacked(numbers);
  if (all.length < 3) return [];
  const every = Math.max(Math.ceil(all.length / most), 1);
  return [...all.filter((_, i) => i % every === 0), all[0] as Place];
}

/** Outlines, and lines through long strokes, a few places of each; empty where a ring says as much. */
export function linesOf(repair: Repair, most = 10): Place[][] {
  const round = outlineOf(repair.outline, 4 * most);
  if (round.length && !repair.strokes.length) return [round];
  const brush = Math.max(0, ...repair.strokes.map((s) => s.size)) / 2;
  if (extentOf(repair).radius < 1.8 * brush) return [];
  return repair.strokes
    .filter((s) => !s.erase)
    .slice(0, 24)
    .map((s) => {
      const all = unpacked(s.points);
      const count = Math.min(all.length, most);
      return Array.from(
        { length: count },
        (_, i) => all[Math.round((i * (all.length - 1)) / Math.max(count - 1, 1))] as Place,
      );
    });
}

/** A repair moved over the frame; what it is taken from stays where it is when `source` says so. */
export function moved(repair: Repair, by: Place, source: "along" | "stays"): Repair {
  const shift = (points: readonly number[]): number[] =>
    packed(unpacked(points).map(([x, y]): Place => [x + by[0], y + by[1]]));
  return {
    ...repair,
    strokes: repair.strokes.map((s) => ({ ...s, points: shift(s.points) })),
    outline: shift(repair.outline),
    ...(source === "stays" && takesFrom(repair) ? { dx: repair.dx - by[0], dy: repair.dy - by[1] } : {}),
    fill: "",
  };
}

/** What a fill depends on: another one is wanted when it is another. */
export const fillOf = (r: Repair): string =>
  JSON.stringify([r.id, r.strokes, r.outline, r.source_outline, r.seed, r.reach]);

/** Whether a repair has a place that it is taken from. */
export const takesFrom = (repair: Repair): boolean => repair.kind !== "removal" && repair.kind !== "cover";
