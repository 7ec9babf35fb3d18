/**
 * Long parts of a recipe (strokes, outlines, areas that were found, fills) are sent once, under a name of this page's own, and
 * named afterwards: while a hand moves, a painting would be a megabyte in each of twenty requests a second. What the server does
 * not know any more it answers by 428, and gets everything again.
 */

import { tab } from "../state/tab";

export const UNKNOWN_PIECE = 428;
const LONG_KEYS = new Set(["points", "widths", "outline", "source_outline", "raster", "fill"]);
const LEAST = { numbers: 60, characters: 400 };
const MOST_TEXTS = 200;

type Row = readonly number[];
const names = new WeakMap<Row, string>();
const texts = new Map<string, string>();
/** What was sent under a name; a row is held by the recipe that it belongs to. */
const sent = new Map<string, WeakRef<Row> | string>();
/** Names that an answer has shown to be known: a request may overtake the one that brings its parts. */
const known = new Set<string>();
let count = 0;

function nameOf(part: Row | string): string {
  const had = typeof part === "string" ? texts.get(part) : names.get(part);
  if (had !== undefined) return had;
  count += 1;
  const name = `${tab}:${count}`;
  if (typeof part === "string") {
    texts.set(part, name);
    const oldest = texts.entries().next().value;
    if (texts.size > MOST_TEXTS && oldest) {
      texts.delete(oldest[0]);
      sent.delete(oldest[1]);
      known.delete(oldest[1]);
    }
  } else names.set(part, name);
  return name;
}

const isLong = (key: string, value: unknown): value is Row | string =>
  LONG_KEYS.has(key) &&
  (typeof value === "string"
    ? value.length >= LEAST.characters
    : Array.isArray(value) && value.length >= LEAST.numbers && typeof value[0] === "number");

/** JSON in which long parts that the server knows stand as their names; `anew` sends all of them again. */
export function packed(body: unknown, anew = false): string {
  return JSON.stringify(body, (key, value: unknown) => {
    if (!isLong(key, value)) return value;
    const name = nameOf(value);
    if (known.has(name) && !anew) return { piece: name };
    sent.set(name, typeof value === "string" ? value : new WeakRef(value));
    return { piece: name, is: value };
  });
}

/** The request with this text was answered: what it brought is known. */
export function answered(text: string): void {
  if (text.includes('"is":'))
    for (const [, name] of text.matchAll(/"piece":"([^"]+)","is":/g)) known.add(name as string);
}

/** JSON that was packed, with every part spelled out again. */
export function spelledOut(text: string): string {
  return JSON.stringify(JSON.parse(text), (_key, value: unknown) => {
    if (typeof value !== "object" || value === null || !("piece" in value) || "is" in value) return value;
    const part = sent.get(String(value.piece));
    const is = part instanceof WeakRef ? part.deref() : part;
    return is === undefined ? value : { ...value, is };
  });
}
