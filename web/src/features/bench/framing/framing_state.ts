import { create } from "zustand";
import { api, need } from "../../../api/client";
import type { components } from "../../../api/generated/api";
import type { FramingFacts } from "../../../api/view";
import type { Overlay, Point } from "../../../canvas/plane";
import { useBench } from "../../../state/bench";
import { complain, useNotices } from "../../../state/notices";
import type { Values } from "../steps/control";
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
}

export const useFraming = create<Framing>(() => ({ tool: "crop", overlay: "thirds", points: [], refusal: "" }));

/** Where everything lies now; null until the first picture has come. */
export const factsNow = (): FramingFacts | null => useBench.getState().header?.framing ?? null;

/** Lets the server work out what a tool sets, and saves it. Returns whether it could. */
export async function act(frame: number, action: Partial<Action> & { do: Action["do"] }): Promise<boolean> {
  const { draft, save } = useBench.getState();
  if (!draft) return false;
  try {
    const body = { recipe: draft as unknown as Record<string, never>, action: { ...EMPTY, ...action } };
    const found = await need(api.POST("/api/frames/{id}/framing", { params: { path: { id: frame } }, body }));
    if (useBench.getState().frame !== frame) return false;
    save((r) => withValues(r, found.values as unknown as Values));
    if (found.note) useNotices.getState().say(found.note);
    return true;
  } catch (error) {
    complain(error);
    return false;
  }
}

const EMPTY = { lines: [], bent_lines: [], rectangle: null, ratio: "free" } satisfies Partial<Action>;
