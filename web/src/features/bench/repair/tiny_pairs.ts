import { useEffect, useState } from "react";
import { api, need } from "../../../api/client";
import type { Recipe } from "../../../api/generated/recipe";
import { complain } from "../../../state/notices";
import { repairsOf } from "../../../state/repairs";
import { addressOf } from "../passes/tiny_areas";

export interface Pair {
  before: string;
  after: string;
}

/** How long a hand rests before small pictures follow. */
const REST_MS = 250;

/** Small pictures of repairs before and after; of those whose own numbers changed anew. */
export function useTinyPairs(frame: number, recipe: Recipe, shown: readonly string[]): ReadonlyMap<string, Pair> {
  const [pairs, setPairs] = useState<ReadonlyMap<string, Pair & { key: string }>>(new Map());
  const light = JSON.stringify([frame, recipe.balance, recipe.tone.exposure_ev, recipe.tone.view]);
  const repairs = repairsOf(recipe).filter((r) => r.on && r.strength > 0);
  const keyOf = (r: (typeof repairs)[number]) => light + JSON.stringify(r);
  const wanted = repairs.filter((r) => shown.includes(r.id) && pairs.get(r.id)?.key !== keyOf(r));
  const key = wanted.map(keyOf).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says all that the answer depends on
  useEffect(() => {
    if (!wanted.length) return;
    const stop = new AbortController();
    const timer = setTimeout(() => {
      const body = {
        recipe: { ...recipe, passes: { passes: [] } },
        repairs: wanted.slice(0, 60).map((r) => r.id),
      };
      need(
        api.POST("/api/frames/{id}/repairs/pictures", { params: { path: { id: frame } }, body, signal: stop.signal }),
      )
        .then((told) => {
          if (stop.signal.aborted) return;
          const keys = new Map(wanted.map((r) => [r.id, keyOf(r)]));
          setPairs((had) => {
            const next = new Map(had);
            for (const p of told.pictures) {
              const old = had.get(p.id);
              if (old) for (const gone of [old.before, old.after]) URL.revokeObjectURL(gone);
              next.set(p.id, { before: addressOf(p.before), after: addressOf(p.after), key: keys.get(p.id) ?? "" });
            }
            return next;
          });
        })
        .catch((error: unknown) => stop.signal.aborted || complain(error));
    }, REST_MS);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  }, [key]);
  return pairs;
}
