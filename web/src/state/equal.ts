/** Same JSON value, whatever the order of the keys. */
export function equal(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((x, i) => equal(x, b[i]));
  if (a && b && typeof a === "object" && typeof b === "object" && !Array.isArray(a) && !Array.isArray(b)) {
    const left = a as Record<string, unknown>;
    const right = b as Record<string, unknown>;
    const keys = Object.keys(left);
    return keys.length === Object.keys(right).length && keys.every((k) => k in right && equal(left[k], right[k]));
  }
  return false;
}

/** A JSON value in which everything that stands in `before` at the same place is the same object again; items of lists are found
 * by their ids. What is drawn or sent by the identity of its parts stays as it is when a server answers with equal ones. */
export function sharing<T>(before: unknown, after: T): T {
  if (before === after) return after;
  if (Array.isArray(before) && Array.isArray(after)) {
    if (typeof after[0] !== "object") return equal(before, after) ? (before as T) : after;
    const idOf = (item: unknown) => (item as { id?: unknown } | null)?.id;
    const byId = new Map(before.map((item) => [idOf(item), item]));
    const of = (item: unknown, i: number) => (idOf(item) === undefined ? before[i] : byId.get(idOf(item)));
    const next = after.map((item, i) => sharing(of(item, i), item));
    return next.length === before.length && next.every((item, i) => item === before[i]) ? (before as T) : (next as T);
  }
  if (!before || !after || typeof before !== "object" || typeof after !== "object") return after;
  if (Array.isArray(before) || Array.isArray(after)) return after;
  const left = before as Record<string, unknown>;
  const right = Object.entries(after).map(([key, value]) => [key, sharing(left[key], value)] as const);
  const same =
    right.length === Object.keys(left).length && right.every(([key, value]) => key in left && left[key] === value);
  return same ? (before as T) : (Object.fromEntries(right) as T);
}
