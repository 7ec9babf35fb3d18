import { create } from "zustand";
import { api, need } from "../../../api/client";
import type { components } from "../../../api/generated/api";
import type { Recipe } from "../../../api/generated/recipe";
import type { FramingFacts } from "../../../api/view";
import type { Overlay, Point, Rect } from "../../../canvas/plane";
import { useBench } from "../../../state/bench";
import { complain, useNotices } from "../../../state/notices";
import { inTurn } from "../../../state/turns";
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
  shownOf: Recipe | null;
  /** How many actions the server is working out. */
  acting: number;
  /** Lines and crop as the hand has left them, until a picture with them has come. */
  lines: Held<PlaneLine[]> | null;
  crop: Held<Rect> | null;
}

/** Something on the plane, and the recipe on whose picture it was begun: its places count in that one. */
interface Held<T> {
  what: T;
  of: Recipe | null;
  /** It is on its way to the server; otherwise the hand is still on it. */
  sent: boolean;
}

export const useFraming = create<Framing>(() => ({
  tool: "crop",
  overlay: "thirds",
  points: [],
  refusal: "",
  shownOf: null,
  acting: 0,
  lines: null,
  crop: null,
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

/** The recipe whose picture is seen; the newest one where none has come. */
export const seenRecipe = (): Recipe | null => useFraming.getState().shownOf ?? useBench.getState().draft;

/** What tools do with places on the plane, as they were seen; the others work on the recipe as it is when their turn comes. */
const WITH_PLACES: readonly Action["do"][] = ["lines", "bent_lines", "crop"];

/** Lets the server work out what a tool sets, and saves it. One after the other: each goes on from what the one before has set.
 * Returns whether it could. Places are those of the picture of the recipe `of`. */
export function act(
  frame: number,
  action: Partial<Action> & { do: Action["do"] },
  of: Recipe | null = seenRecipe(),
): Promise<boolean> {
  if (!useBench.getState().draft) return Promise.resolve(false);
  const version = useBench.getState().forThis();
  useFraming.setState((s) => ({ acting: s.acting + 1 }));
  return inTurn(() => done(frame, action, version, WITH_PLACES.includes(action.do) ? of : null));
}

async function done(
  frame: number,
  action: Partial<Action> & { do: Action["do"] },
  { recipe, save }: ReturnType<ReturnType<typeof useBench.getState>["forThis"]>,
  of: Recipe | null,
): Promise<boolean> {
  try {
    const draft = of ?? recipe();
    if (!draft) return false;
    const body = { recipe: draft, action: { ...EMPTY, ...action } };
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

/** Lines as they are on the plane now: as the hand has left them, or as the server has found them. */
export const linesNow = (found: PlaneLine[]): PlaneLine[] => useFraming.getState().lines?.what ?? found;

/** The hand is on something: it is shown so, and counts in the picture that it was begun on. */
const hold = <T>(before: Held<T> | null, what: T): Held<T> => ({
  what,
  of: before?.of ?? seenRecipe(),
  sent: false,
});
export const holdLines = (lines: PlaneLine[]): void => useFraming.setState((s) => ({ lines: hold(s.lines, lines) }));
export const holdCrop = (crop: Rect): void => useFraming.setState((s) => ({ crop: hold(s.crop, crop) }));

/** The hand has let go of the lines: they are solved together. */
export function sendLines(frame: number, what: PlaneLine[]): void {
  const sent = { ...hold(useFraming.getState().lines, what), sent: true };
  const acted = act(frame, { do: "lines", lines: what }, sent.of);
  useFraming.setState({ lines: sent });
  void acted.then((could) => could || useFraming.setState((s) => (s.lines === sent ? { lines: null } : s)));
}

/** The hand has let go of the crop. */
export function sendCrop(frame: number, what: Rect, ratio: string): void {
  const sent = { ...hold(useFraming.getState().crop, what), sent: true };
  const acted = act(frame, { do: "crop", rectangle: [...what], ratio }, sent.of);
  useFraming.setState({ crop: sent });
  void acted.then((could) => could || useFraming.setState((s) => (s.crop === sent ? { crop: null } : s)));
}

/** What was sent is dropped once the picture with it is there; what the hand is still on stays. */
function dropSeen(): void {
  const { lines, crop } = useFraming.getState();
  if (!isCurrent()) return;
  if (lines?.sent) useFraming.setState({ lines: null });
  if (crop?.sent) useFraming.setState({ crop: null });
}
useFraming.subscribe(dropSeen);
useBench.subscribe(dropSeen);

const EMPTY = { lines: [], bent_lines: [], rectangle: null, ratio: "free" } satisfies Partial<Action>;
