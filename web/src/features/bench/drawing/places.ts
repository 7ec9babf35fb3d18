import { useEffect, useState } from "react";
import { api, need } from "../../../api/client";
import type { Recipe } from "../../../api/generated/recipe";
import type { Place } from "../../../canvas/strokes";
import { complain } from "../../../state/notices";

export interface Told {
  /** Null where a place is out of sight. */
  points: (Place | null)[];
  /** Pixels of the finished picture that a long edge of the frame is about each place. */
  scale: (number | null)[];
}

/** Places of the finished picture in frame coordinates, or the other way round; the server knows lens, movements and crop. */
export async function converted(
  frame: number,
  recipe: Recipe,
  points: readonly Place[],
  to: "frame" | "picture",
  signal?: AbortSignal,
): Promise<Told> {
  // where places lie depends on framing alone: passes and repairs with long paintings stay here
  const light = { ...recipe, passes: { passes: [] }, repair: { repairs: [] } };
  const answer = await need(
    api.POST("/api/frames/{id}/places", {
      params: { path: { id: frame } },
      body: { recipe: light, points: points.map(([x, y]): [number, number] => [x, y]), to },
      ...(signal ? { signal } : {}),
    }),
  );
  return answer as Told;
}

/** Where frame coordinates lie on the finished picture, kept up to date while framing or the places change. */
export function useOnPicture(frame: number, recipe: Recipe | null, places: readonly Place[]): Told | null {
  const [told, setTold] = useState<Told | null>(null);
  const key = JSON.stringify([frame, recipe?.framing, recipe?.off.includes("framing"), places]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says all that the answer depends on
  useEffect(() => {
    if (!recipe || !places.length) {
      setTold(null);
      return;
    }
    const stop = new AbortController();
    converted(frame, recipe, places, "picture", stop.signal)
      .then((answer) => stop.signal.aborted || setTold(answer))
      .catch((error: unknown) => stop.signal.aborted || complain(error));
    return () => stop.abort();
  }, [key]);
  return told;
}

/** Runs one at a time and then the newest that came meanwhile: a hand asks faster than answers come. */
export function newestOnly<T>(run: (value: T) => Promise<void>): {
  ask: (value: T) => void;
  settled: () => Promise<void>;
} {
  let busy: Promise<void> | null = null;
  let next: { value: T } | null = null;
  const go = async (value: T): Promise<void> => {
    await run(value).catch(complain);
    const waiting = next;
    next = null;
    if (waiting) await go(waiting.value);
    else busy = null;
  };
  return {
    ask: (value) => {
      if (busy) next = { value };
      else busy = go(value);
    },
    settled: () => busy ?? Promise.resolve(),
  };
}
