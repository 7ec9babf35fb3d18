import { create } from "zustand";
import { api, need } from "../../../api/client";
import type { components } from "../../../api/generated/api";
import type { FramingFacts } from "../../../api/view";
import type { Overlay, Point } from "../../../canvas/plane";
import { useBench } from "../../../state/bench";
import { complain, useNotices } from "../../../state/notices";
import { withValues } from "../steps/proposals";

export type FramingTool = "crop" | "line" | "lines" | "corners" | "bent";
export type Action = components["schemas"]["Action"];
export type PlaneLine = FramingFacts["lines"][number];

interface Framing {
  /** What the pointer does on the plane. */
  tool: FramingTool;
  overlay: Overlay;
  /** Points of a bent line that is being placed. */
  points: Point[];
  /** Why the newest framing cannot be shown. */
  refusal: string;
  /** The recipe whose picture is on the plane: places on it count in this one. */
  shownOf: unknown;
  /** How many actions the server is working out. */
  acting: number;
}

export const useFraming = create<Framing>(() => ({
  tool: "crop",
  overlay: "thirds",
  points: [],
  refusal: "",
  shownOf: null,
  acting: 0,
}));

/** Where everything lies now; null until the first picture has come. */
export const factsNow = (): FramingFacts | null => useBench.getState().header?.framing ?? null;

const isCurrent = (): boolean => {
  const { shownOf, acting } = useFraming.getState();
  return acting === 0 && shownOf !== null && shownOf === useBench.getState().draft;
};

/** Where everything lies once the picture of the newest recipe has come; null when it does not within some seconds. */
export function factsSettled(within_ms = 5000): Promise<FramingFacts | null> {
  if (isCurrent()) return Promise.resolve(factsNow());
  return new Promise((resolve) => {
    const end = (facts: FramingFacts | null) => {
      clearTimeout(timer);
      for (const stop of stops) stop();
      resolve(facts);
    };
    const look = () => isCurrent() && end(factsNow());
    const timer = setTimeout(() => end(null), within_ms);
    const stops = [useFraming.subscribe(look), useBench.subscribe(look)];
  });
}

/** Lets the server work out what a tool sets, and saves it. Returns whether it could. */
export async function act(frame: number, action: Partial<Action> & { do: Action["do"] }): Promise<boolean> {
  const { draft, forThis } = useBench.getState();
  if (!draft) return false;
  const save = forThis();
  useFraming.setState((s) => ({ acting: s.acting + 1 }));
  try {
    const body = { recipe: draft as unknown as Record<string, never>, action: { ...EMPTY, ...action } };
    const found = await need(api.POST("/api/frames/{id}/framing", { params: { path: { id: frame } }, body }));
    save((r) => withValues(r, found.values));
    if (useBench.getState().frame !== frame) return false;
    if (found.note) useNotices.getState().say(found.note);
    return true;
  } catch (error) {
    complain(error);
    return false;
  } finally {
    useFraming.setState((s) => ({ acting: s.acting - 1 }));
  }
}

const EMPTY = { lines: [], bent_lines: [], rectangle: null, ratio: "free" } satisfies Partial<Action>;
