/** Strokes of a brush: pure arithmetic on places. */
export type Place = readonly [number, number];

/** Parts of the long edge of a frame that places of strokes are counted in. */
export const POINT_SCALE = 20_000;
const MOST_POINTS = 1_500;

function fromLine([x, y]: Place, [ax, ay]: Place, [bx, by]: Place): number {
  const [vx, vy] = [bx - ax, by - ay];
  const long = vx * vx + vy * vy;
  const t = long === 0 ? 0 : Math.min(Math.max(((x - ax) * vx + (y - ay) * vy) / long, 0), 1);
  return Math.hypot(x - ax - t * vx, y - ay - t * vy);
}

/** A path with fewer points that leaves no point of the whole farther than `tolerance` (Douglas and Peucker 1973). */
export function simplified(points: readonly Place[], tolerance: number): Place[] {
  if (points.length <= 2) return [...points];
  const keep = new Uint8Array(points.length);
  keep[0] = keep[points.length - 1] = 1;
  const parts: [number, number][] = [[0, points.length - 1]];
  for (let part = parts.pop(); part; part = parts.pop()) {
    const [from, to] = part;
    let far = 0;
    let at = -1;
    for (let i = from + 1; i < to; i++) {
      const d = fromLine(points[i] as Place, points[from] as Place, points[to] as Place);
      if (d > far) [far, at] = [d, i];
    }
    if (at < 0 || far <= tolerance) continue;
    keep[at] = 1;
    parts.push([from, at], [at, to]);
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
