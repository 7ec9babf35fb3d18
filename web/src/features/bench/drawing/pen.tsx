import { create } from "zustand";
import { type Place, simplified } from "../../../canvas/strokes";
import type { BrushSettings } from "../../../state/passes";

const KEY = "zincplate.pen";

function seenBefore(): boolean {
  try {
    return localStorage.getItem(KEY) !== null;
  } catch {
    return false;
  }
}

/** Whether a pen was ever seen in this browser: what its pressure does is asked only then. */
export const usePen = create<{ seen: boolean; saw: () => void }>((set, get) => ({
  seen: seenBefore(),
  saw: () => {
    if (get().seen) return;
    set({ seen: true });
    try {
      localStorage.setItem(KEY, "seen");
    } catch {
      // forbidden or full: asked again by the next pen
    }
  },
}));

const mean = (values: readonly number[]): number =>
  values.length ? values.reduce((a, b) => a + b, 0) / values.length : 1;

/** What the whole stroke lays on: pressed softly, less. */
export const flowOf = (pressures: readonly number[], { pen, flow }: BrushSettings): number =>
  Math.max(pen === "size" ? flow : flow * mean(pressures), 1);

/** How wide the stroke under the pointer is drawn, of its full width. */
export const widthOf = (pressures: readonly number[], { pen }: BrushSettings): number =>
  pen === "flow" ? 1 : mean(pressures);

/** The points of a stroke that are kept, and how wide it is at each in percent of its size; none for what is as wide everywhere. */
export function pressed(
  points: readonly Place[],
  pressures: readonly number[],
  { pen }: BrushSettings,
  radius: number,
  tolerance: number,
): { points: Place[]; widths: number[] } {
  if (pen === "flow" || pressures.length !== points.length)
    return { points: simplified(points, tolerance), widths: [] };
  const path = points.map(([x, y], i): [number, number, number] => [x, y, (pressures[i] as number) * radius]);
  const kept = simplified(path, tolerance);
  return {
    points: kept.map(([x, y]): Place => [x, y]),
    widths: kept.map(([, , r]) => Math.min(Math.max(Math.round((100 * r) / radius), 1), 100)),
  };
}

interface Props {
  value: BrushSettings["pen"];
  onChange: (pen: BrushSettings["pen"]) => void;
}

/** What a pen's pressure does; where no pen was seen nothing is asked. */
export function PenChoice({ value, onChange }: Props) {
  const seen = usePen((s) => s.seen);
  if (!seen) return null;
  return (
    <label className="flex h-6 items-center gap-1" title="What pressing a pen harder does to the stroke">
      a pen sets
      <select
        value={value}
        aria-label="What a pen's pressure does"
        onChange={(e) => onChange(e.currentTarget.value as BrushSettings["pen"])}
        className="h-6 rounded-[2px] border border-rule bg-sheet px-1"
      >
        <option value="size">the size</option>
        <option value="flow">the flow</option>
        <option value="both">both</option>
      </select>
    </label>
  );
}
