/** Strokes of a brush: pure arithmetic on places. */
export type Place = readonly [number, number];

/** Parts of the long edge of a frame that places of strokes are counted in. */
export const POINT_SCALE = 20_000;
const MOST_POINTS = 1_500;

type Numbers = readonly number[];
const at = (p: Numbers, i: number): number => p[i] as number;

/** How far a point lies from a line between two others, in as many dimensions as they have. */
function fromLine(p: Numbers, a: Numbers, b: Numbers): number {
  const along = a.map((v, i) => at(b, i) - v);
  const long = along.reduce((sum, v) => sum + v * v, 0);
  const way = along.reduce((sum, v, i) => sum + v * (at(p, i) - at(a, i)), 0);
  const t = long === 0 ? 0 : Math.min(Math.max(way / long, 0), 1);
  return Math.hypot(...along.map((v, i) => at(p, i) - at(a, i) - t * v));
}

/** A path with fewer points that leaves no point of the whole farther than `tolerance` (Douglas and Peucker 1973); a third number
 * of its points, as how wide it is there, counts like a place. */
export function simplified<P extends Numbers>(points: readonly P[], tolerance: number): P[] {
  if (points.length <= 2) return [...points];
  const keep = new Uint8Array(points.length);
  keep[0] = keep[points.length - 1] = 1;
  const parts: [number, number][] = [[0, points.length - 1]];
  for (let part = parts.pop(); part; part = parts.pop()) {
    const [from, to] = part;
    let far = 0;
    let farthest = -1;
    for (let i = from + 1; i < to; i++) {
      const d = fromLine(points[i] as P, points[from] as P, points[to] as P);
      if (d > far) [far, farthest] = [d, i];
    }
    if (farthest < 0 || far <= tolerance) continue;
    keep[farthest] = 1;
    parts.push([from, farthest], [farthest, to]);
  }
  const left = points.filter((_, i) => keep[i]);
  return left.length > MOST_POINTS ? simplified(left, tolerance * 2) : left;
}

/** Frame coordinates as a stroke of the recipe holds them: whole numbers, x and y in turn. */
export const packed = (places: readonly Place[]): number[] =>
  places.flatMap(([x, y]) => [Math.round(x * POINT_SCALE), Math.round(y * POINT_SCALE)]);

/** The other way round. */
export function unpacked(points: readonly number[]): Place[] {
  const found: Place[] = [];
  for (let i = 0; i + 1 < points.length; i += 2)
    found.push([(points[i] as number) / POINT_SCALE, (points[i + 1] as number) / POINT_SCALE]);
  return found;
}
