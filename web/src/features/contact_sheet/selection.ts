import type { Frame } from "../../api/client";

export type Filter = "all" | "keep" | "maybe" | "drop" | "unmarked";

export const FILTERS: readonly (readonly [Filter, string])[] = [
  ["all", "all"],
  ["keep", "kept"],
  ["maybe", "maybe"],
  ["drop", "dropped"],
  ["unmarked", "unmarked"],
];

/** What a sheet shows of its frames: everything has to hold. */
export interface Look {
  filter: Filter;
  /** At least so many. */
  stars: number;
  label: string;
  camera: string;
  lens: string;
  /** Frames of this folder and those below it; null is every folder. */
  folder: string | null;
  kind: "any" | "raw" | "finished";
  /** Null takes both. */
  adjusted: boolean | null;
  passes: boolean | null;
  repairs: boolean | null;
  delivered: boolean | null;
  inSet: boolean | null;
}

export const EVERYTHING: Look = {
  filter: "all",
  stars: 0,
  label: "",
  camera: "",
  lens: "",
  folder: null,
  kind: "any",
  adjusted: null,
  passes: null,
  repairs: null,
  delivered: null,
  inSet: null,
};

export function matches(frame: Frame, look: Look): boolean {
  if (frame.stars < look.stars) return false;
  if (look.label && frame.label !== look.label) return false;
  if (look.camera && frame.camera !== look.camera) return false;
  if (look.lens && frame.lens !== look.lens) return false;
  if (look.kind !== "any" && frame.raw !== (look.kind === "raw")) return false;
  if (look.folder !== null && !isIn(frame.folder, look.folder)) return false;
  if (look.adjusted !== null && frame.adjusted !== look.adjusted) return false;
  if (look.passes !== null && frame.passes !== look.passes) return false;
  if (look.repairs !== null && frame.repairs !== look.repairs) return false;
  if (look.delivered !== null && frame.delivered > 0 !== look.delivered) return false;
  if (look.inSet !== null && frame.set > 0 !== look.inSet) return false;
  if (look.filter === "all") return true;
  return frame.mark === (look.filter === "unmarked" ? "" : look.filter);
}

/** Frames that a look and a search let through; the list itself when nothing is asked. */
export function passing(frames: readonly Frame[], look: Look, found: ReadonlySet<number> | null): readonly Frame[] {
  const asks = (Object.keys(EVERYTHING) as (keyof Look)[]).some((key) => look[key] !== EVERYTHING[key]);
  if (!asks && found === null) return frames;
  return frames.filter((f) => (!asks || matches(f, look)) && (found === null || found.has(f.id)));
}

/** How many frames each filter and state takes, in one walk. */
export function countsOf(frames: readonly Frame[]): Record<Filter | "adjusted" | "delivered", number> {
  const counts = { all: frames.length, keep: 0, maybe: 0, drop: 0, unmarked: 0, adjusted: 0, delivered: 0 };
  for (const f of frames) {
    counts[f.mark || "unmarked"]++;
    if (f.adjusted) counts.adjusted++;
    if (f.delivered > 0) counts.delivered++;
  }
  return counts;
}

/** The empty folder holds only what stands in none. */
const isIn = (folder: string, wanted: string): boolean =>
  folder === wanted || (wanted !== "" && folder.startsWith(`${wanted}/`));

/** Every folder that occurs, with those above it, sorted. */
export function foldersOf(frames: readonly Frame[]): string[] {
  const found = new Set<string>();
  for (const { folder } of frames) {
    const parts = folder ? folder.split("/") : [];
    for (let i = 1; i <= parts.length; i++) found.add(parts.slice(0, i).join("/"));
  }
  return [...found].sort(names.compare);
}

export type Order = "time" | "name" | "mark" | "stars" | "exposure" | "camera" | "changed" | "hand";

export const ORDERS: readonly (readonly [Order, string])[] = [
  ["time", "time taken"],
  ["name", "name"],
  ["mark", "mark"],
  ["stars", "stars"],
  ["exposure", "exposure"],
  ["camera", "camera"],
  ["changed", "last changed"],
  ["hand", "hand"],
];

/** log2 of time * ISO / f-number squared; what is not told comes last. */
function exposureOf({ exposure_time_s: time, iso, f_number }: Frame): number {
  return time > 0 && iso > 0 && f_number > 0 ? Math.log2((time * iso) / f_number ** 2) : Number.POSITIVE_INFINITY;
}

const MARKS = ["keep", "maybe", "", "drop"];
const names = new Intl.Collator("en", { numeric: true });
const rising = (x: number, y: number): number => (x === y ? 0 : x < y ? -1 : 1);

const BY: Record<Exclude<Order, "time">, (a: Frame, b: Frame) => number> = {
  name: (a, b) => names.compare(a.folder, b.folder) || names.compare(a.name, b.name),
  mark: (a, b) => MARKS.indexOf(a.mark) - MARKS.indexOf(b.mark),
  stars: (a, b) => b.stars - a.stars,
  exposure: (a, b) => rising(exposureOf(a), exposureOf(b)),
  camera: (a, b) => names.compare(a.camera, b.camera) || names.compare(a.lens, b.lens),
  changed: (a, b) => (a.changed_at === b.changed_at ? 0 : a.changed_at < b.changed_at ? 1 : -1),
  hand: (a, b) => rising(a.hand_place ?? Number.POSITIVE_INFINITY, b.hand_place ?? Number.POSITIVE_INFINITY),
};

/** Frames, which come in the order they were taken, in another one; equals stay in time. */
export function ordered(frames: readonly Frame[], order: Order): readonly Frame[] {
  return order === "time" ? frames : [...frames].sort(BY[order]);
}

/** Which way a key goes on a sheet of so many columns, a screen of it having so many rows: as many frames, or to an end. */
export function stepOf(key: string, columns: number, rows: number): number | undefined {
  const steps: Record<string, number> = {
    ArrowRight: 1,
    ArrowLeft: -1,
    ArrowDown: columns,
    ArrowUp: -columns,
    PageDown: columns * rows,
    PageUp: -columns * rows,
    Home: Number.NEGATIVE_INFINITY,
    End: Number.POSITIVE_INFINITY,
  };
  return steps[key];
}

/** The frame some places further, the first when nothing is current; null beyond an end, but `far` ways stop there. */
export function next<T extends { id: number }>(
  frames: readonly T[],
  current: number | null,
  step: number,
  far = Number.POSITIVE_INFINITY,
): T | null {
  const at = frames.findIndex((f) => f.id === current);
  if (at < 0) return frames[0] ?? null;
  const target = Math.abs(step) < far ? at + step : Math.min(Math.max(at + step, 0), frames.length - 1);
  return target < 0 || target >= frames.length ? null : (frames[target] ?? null);
}

/** Frames that have the same of something as one of them, for "select same". */
export function same(
  frames: readonly Frame[],
  as: Frame,
  of: "mark" | "stars" | "label" | "camera" | "lens" | "folder",
): number[] {
  return frames.filter((f) => f[of] === as[of]).map((f) => f.id);
}
