import { useEffect, useMemo, useState } from "react";
import type { Frame } from "../../api/client";
import { memorise, recalled } from "../../state/memory";
import type { MergeKind } from "../../state/route";
import type { Options } from "./judgement";

/** What the merge table is told: kept in the browser, so that leaving the table or a reload loses nothing. */
export interface Draft {
  options: Options;
  /** How the master starts, by name. */
  look: string;
}

/** A draft with those before and those that were taken back. */
export interface Trail {
  past: readonly Draft[];
  now: Draft;
  future: readonly Draft[];
}

const KEY = "zincplate.merges";
const KEPT = 16;
const STEPS = 200;

const same = (a: Draft, b: Draft): boolean => JSON.stringify(a) === JSON.stringify(b);

/** One step further; what changes nothing is none. */
export function stepped(trail: Trail, now: Draft): Trail {
  if (same(trail.now, now)) return trail;
  return { past: [...trail.past, trail.now].slice(-STEPS), now, future: [] };
}

export function undone({ past, now, future }: Trail): Trail {
  const before = past.at(-1);
  return before ? { past: past.slice(0, -1), now: before, future: [now, ...future] } : { past, now, future };
}

export function redone({ past, now, future }: Trail): Trail {
  const [next, ...rest] = future;
  return next ? { past: [...past, now], now: next, future: rest } : { past, now, future };
}

/** Under what a draft is kept: frames are known by their content, since another library has the same numbers. */
export function draftKey(frames: readonly Frame[], as: MergeKind, again: number | undefined): string {
  return [as, again ?? "", ...frames.map((f) => f.content_hash.slice(0, 16))].join(" ");
}

function kept(): [string, Draft][] {
  const read = recalled(KEY);
  return Array.isArray(read) ? (read as [string, Draft][]) : [];
}

/** Keeps a draft under its key, the newest few; `null` takes it away. */
export function keep(key: string, draft: Draft | null): void {
  const before = kept();
  const all = before.filter(([k]) => k !== key);
  if (!draft && all.length === before.length) return;
  if (draft) all.unshift([key, draft]);
  // where there is no room the oldest go
  for (let count = Math.min(all.length, KEPT); count > 0; count--) if (memorise(KEY, all.slice(0, count))) return;
  memorise(KEY, null);
}

/** A trail from a start, with what was kept of it as one step that can be taken back. */
export function begun(key: string, start: Draft): Trail {
  const found = kept().find(([k]) => k === key)?.[1];
  const trail = { past: [], now: start, future: [] };
  if (found?.options?.kind !== start.options.kind) return trail;
  // kept by another version of the page: what it did not know is as at the start, what is known no more is left
  const known = Object.entries(found.options).filter(([name]) => name in start.options);
  const options = { ...start.options, ...Object.fromEntries(known) } as Options;
  return stepped(trail, { options, look: found.look ?? start.look });
}

interface Drafting {
  /** Null until it is known what the table starts with. */
  draft: Draft | null;
  set: (change: Partial<Draft>) => void;
  undo: (() => void) | null;
  redo: (() => void) | null;
}

/** The draft of one table, with undo. `key` and `start` are null until they are known; another key begins anew. */
export function useDraft(key: string | null, start: Draft | null): Drafting {
  const [held, setHeld] = useState<{ key: string; trail: Trail } | null>(null);
  useEffect(() => {
    if (key !== null && start) setHeld((was) => (was?.key === key ? was : { key, trail: begun(key, start) }));
  }, [key, start]);
  useEffect(() => {
    if (start && held) keep(held.key, same(held.trail.now, start) ? null : held.trail.now);
  }, [start, held]);
  return useMemo(() => {
    const trail = held && held.key === key ? held.trail : null;
    const change = (to: (trail: Trail) => Trail) => setHeld((was) => was && { ...was, trail: to(was.trail) });
    return {
      draft: trail?.now ?? null,
      set: (part) => change((now) => stepped(now, { ...now.now, ...part })),
      undo: trail?.past.length ? () => change(undone) : null,
      redo: trail?.future.length ? () => change(redone) : null,
    };
  }, [held, key]);
}
