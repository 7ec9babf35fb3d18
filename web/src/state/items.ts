import { equal } from "./equal";

/** One of a list of a recipe; its id stays when the others come, go or change places. */
export interface Item {
  id: string;
}

export const newItemId = (): string => crypto.randomUUID().slice(0, 8);

export const isItems = (value: unknown): value is Item[] =>
  Array.isArray(value) && value.every((v) => typeof v === "object" && v !== null && typeof v.id === "string");

/**
 * What a list becomes when two hands changed it: `before` is what both began with, `now` what stands there, `put` what is to be.
 * Null when both changed the same item, each in its own way. The order is that of `now`; new items come last.
 */
export function mergedItems(before: Item[], now: Item[], put: Item[]): Item[] | null {
  const of = (list: Item[], id: string) => list.find((i) => i.id === id);
  const found: Item[] = [];
  for (const item of now) {
    const was = of(before, item.id);
    const mine = of(put, item.id);
    if (!was && mine && !equal(item, mine)) return null;
    if (!was || equal(was, mine)) found.push(item);
    else if (equal(item, was)) mine && found.push(mine);
    else if (!equal(item, mine)) return null;
    else found.push(item);
  }
  for (const mine of put) {
    if (of(now, mine.id)) continue;
    const was = of(before, mine.id);
    if (!was) found.push(mine);
    else if (!equal(was, mine)) return null; // taken away there, changed here
  }
  return found;
}
