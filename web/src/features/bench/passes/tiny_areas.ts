import { useEffect, useState } from "react";
import { api, need } from "../../../api/client";
import type { Recipe } from "../../../api/generated/recipe";
import { complain } from "../../../state/notices";
import { passesOf } from "../../../state/passes";

export interface Tiny {
  cover: number;
  /** Address of a small grey picture. */
  picture: string;
}

/** Address of a picture that came as text. */
export function addressOf(base64: string): string {
  const bytes = Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
  return URL.createObjectURL(new Blob([bytes], { type: "image/png" }));
}

/** How long a hand rests before small pictures follow. */
const REST_MS = 140;

/** Small pictures of the areas of all passes, and the share of the picture that each covers. */
export function useTinyAreas(frame: number, recipe: Recipe): ReadonlyMap<string, Tiny> {
  const [tiny, setTiny] = useState<ReadonlyMap<string, Tiny>>(new Map());
  const passes = passesOf(recipe);
  const key = JSON.stringify([frame, recipe.framing, recipe.off, passes.map((p) => [p.id, p.area, p.strength])]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says all that the answer depends on
  useEffect(() => {
    if (!passes.length) return;
    const stop = new AbortController();
    const timer = setTimeout(() => {
      const body = { recipe };
      need(api.POST("/api/frames/{id}/areas", { params: { path: { id: frame } }, body, signal: stop.signal }))
        .then(({ areas }) => {
          if (stop.signal.aborted) return;
          setTiny((before) => {
            for (const old of before.values()) URL.revokeObjectURL(old.picture);
            return new Map(areas.map((a) => [a.id, { cover: a.cover, picture: addressOf(a.picture) }]));
          });
        })
        .catch((error: unknown) => stop.signal.aborted || complain(error));
    }, REST_MS);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  }, [key]);
  return tiny;
}
