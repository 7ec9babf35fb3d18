/** The engine's monotone cubic (Fritsch & Carlson 1980), for drawing the line only; pictures are computed in Python. */
export type Point = readonly [number, number];

export function evaluate(points: readonly Point[], x: number): number {
  const n = points.length;
  const first = points[0];
  const last = points[n - 1];
  if (!first || !last) return x;
  if (x <= first[0]) return first[1];
  if (x >= last[0]) return last[1];
  const h: number[] = [];
  const d: number[] = [];
  for (let i = 0; i + 1 < n; i++) {
    const [ax, ay] = points[i] as Point;
    const [bx, by] = points[i + 1] as Point;
    h.push(bx - ax);
    d.push((by - ay) / (bx - ax));
  }
  const at = (list: number[], i: number) => list[i] as number;
  const m: number[] = [];
  for (let i = 0; i < n; i++) {
    if (i > 0 && i < n - 1) {
      const a = at(d, i - 1);
      const b = at(d, i);
      const w1 = 2 * at(h, i) + at(h, i - 1);
      const w2 = at(h, i) + 2 * at(h, i - 1);
      m.push(a * b > 0 ? ((w1 + w2) * a * b) / (a * w2 + b * w1) : 0);
    } else if (n === 2) m.push(at(d, 0));
    else {
      const [a, b, ha, hb] =
        i === 0 ? [at(d, 0), at(d, 1), at(h, 0), at(h, 1)] : [at(d, n - 2), at(d, n - 3), at(h, n - 2), at(h, n - 3)];
      let slope = ((2 * ha + hb) * a - ha * b) / (ha + hb);
      if (slope * a <= 0) slope = 0;
      else if (a * b <= 0 && Math.abs(slope) > 3 * Math.abs(a)) slope = 3 * a;
      m.push(slope);
    }
  }
  let i = 0;
  while (i + 2 < n && x >= (points[i + 1] as Point)[0]) i++;
  const [x0, y0] = points[i] as Point;
  const y1 = (points[i + 1] as Point)[1];
  const step = at(h, i);
  const t = (x - x0) / step;
  const t2 = t * t;
  const t3 = t2 * t;
  return (
    (2 * t3 - 3 * t2 + 1) * y0 +
    (t3 - 2 * t2 + t) * step * at(m, i) +
    (3 * t2 - 2 * t3) * y1 +
    (t3 - t2) * step * at(m, i + 1)
  );
}

export const isStraight = (points: readonly Point[]): boolean =>
  points.length === 2 && points.every(([x, y]) => x === y) && points[0]?.[0] === 0 && points[1]?.[0] === 1;
