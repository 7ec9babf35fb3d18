import { api, type Frame, need } from "../../../api/client";
import type { Recipe, Repair } from "../../../api/generated/recipe";
import type { Place } from "../../../canvas/strokes";
import { lastGesture, useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain, useNotices } from "../../../state/notices";
import { saveAs } from "../../../state/passes";
import { type FoundSpot, fillOf, newRepair, repairsOf, useRepairs, withPut, withRepair } from "../../../state/repairs";
import type { Stroke } from "../drawing/brush_layer";

type Here = ReturnType<ReturnType<typeof useBench.getState>["forThis"]>;
type Sent = Record<string, never>;

/** The recipe as the server is asked about repairs: paintings of passes say nothing about them. */
const asked = (recipe: Recipe): Sent => ({ ...recipe, passes: { passes: [] } }) as unknown as Sent;

/** Where a repair may be taken from, the best first. */
export async function sourcesOf(
  frame: number,
  recipe: Recipe,
  repair: string,
): Promise<{ dx: number; dy: number; cost: number }[]> {
  const body = { recipe: asked(recipe), repair };
  return (await need(api.POST("/api/frames/{id}/repairs/sources", { params: { path: { id: frame } }, body }))).sources;
}

/** Saves to the frame that something was drawn on; on the open one as an entry of its own. */
export function put(frame: number, here: Here, change: (recipe: Recipe) => Recipe): void {
  if (useBench.getState().frame === frame) saveAs("", change);
  else here.save(change);
}

/** Puts a new repair down whose source is looked for first: a spot, a patch, a heal whose source was not picked. */
export async function putWithSource(frame: number, here: Here, repair: Repair): Promise<void> {
  const recipe = here.recipe();
  if (!recipe) return;
  const found = await sourcesOf(frame, withPut(recipe, repair), repair.id);
  const best = found[0];
  if (!best) return;
  put(frame, here, (r) => withPut(r, { ...repair, dx: best.dx, dy: best.dy }));
  useRepairs.setState({ open: repair.id });
}

/** A finished stroke of a tool: a new repair, or one more stroke of the open one. */
export async function finishStroke(frame: Frame, here: Here, stroke: Stroke): Promise<void> {
  const { tool, open } = useRepairs.getState();
  const recipe = here.recipe();
  if (tool === "none" || tool === "patch" || !recipe) return;
  const current = repairsOf(recipe).find((r) => r.id === open);
  if (stroke.erase) {
    if (current && current.kind !== "patch" && current.strokes.length)
      put(frame.id, here, (r) =>
        withRepair(r, current.id, (one) => ({ ...one, strokes: [...one.strokes, stroke], fill: "" })),
      );
    else useNotices.getState().say("Open a painted repair in the list first; then its strokes can be rubbed out.");
    return;
  }
  const repair = drawnWith(recipe, stroke);
  if (!repair) return;
  if ((tool === "spot" || (tool === "heal" && !useRepairs.getState().anchor)) && repair.id === stroke.id)
    return putWithSource(frame.id, here, repair);
  put(frame.id, here, (r) => withPut(r, repair));
  useRepairs.setState({ open: repair.id });
}

/** The repair that a stroke makes or goes on with; null, and told, where something is still to be picked. */
export function drawnWith(recipe: Recipe, stroke: Stroke): Repair | null {
  const s = useRepairs.getState();
  if (s.tool === "none" || s.tool === "patch") return null;
  const current = repairsOf(recipe).find((r) => r.id === s.open && r.kind === s.tool);
  const fresh = { ...newRepair(s.tool, stroke.id), strokes: [stroke] };
  const start: Place = [(stroke.points[0] ?? 0) / 20_000, (stroke.points[1] ?? 0) / 20_000];
  const more = (one: Repair): Repair => ({
    ...one,
    strokes: [...one.strokes.filter((x) => x.id !== stroke.id), stroke],
  });
  if (s.tool === "clone" || s.tool === "heal") {
    // a picked source closes what was open: its first stroke begins a new repair
    if (current && s.aligned && current.strokes.length < 400) return more(current);
    if (!s.anchor) return s.tool === "heal" ? fresh : null;
    return { ...fresh, dx: s.anchor[0] - start[0], dy: s.anchor[1] - start[1], mirrored: s.mirrored, angle: s.angle };
  }
  if (s.tool === "cover") {
    if (!s.colour) return null;
    if (current && JSON.stringify(current.colour) === JSON.stringify(s.colour) && current.strokes.length < 400)
      return more(current);
    return { ...fresh, colour: s.colour, grain: s.grain, ...(s.grain && s.anchor ? away(s.anchor, start) : {}) };
  }
  return { ...fresh, reach: s.reach };
}

const away = (anchor: Place, start: Place) => ({ dx: anchor[0] - start[0], dy: anchor[1] - start[1] });

/** The next of the places that a repair can be taken from, or another fill of a removal. */
export async function nextCandidate(frame: Frame, repair: Repair, by: 1 | -1): Promise<void> {
  const { draft, forThis } = useBench.getState();
  if (!draft) return;
  if (repair.kind === "removal") {
    const seed = Math.max(repair.seed + by, 0);
    if (seed !== repair.seed) saveAs("", (r) => withRepair(r, repair.id, (one) => ({ ...one, seed, fill: "" })));
    return;
  }
  const here = forThis();
  try {
    const found = await sourcesOf(frame.id, draft, repair.id);
    if (!found.length) return;
    const number = (repair.candidate + by + found.length) % found.length;
    const next = found[number];
    if (next)
      put(frame.id, here, (r) =>
        withRepair(r, repair.id, (one) => ({ ...one, dx: next.dx, dy: next.dy, candidate: number })),
      );
  } catch (error) {
    complain(error);
  }
}

/** Picks what a cover is painted with. */
export async function pickColour(frame: Frame, at: Place): Promise<void> {
  const { draft } = useBench.getState();
  if (!draft) return;
  try {
    const body = { recipe: asked(draft), x: at[0], y: at[1], radius_px: 4 };
    const told = await need(api.POST("/api/frames/{id}/repairs/colour", { params: { path: { id: frame.id } }, body }));
    const [r, g, b] = told.colour;
    useRepairs.setState({ colour: [r ?? 0, g ?? 0, b ?? 0], anchor: at });
  } catch (error) {
    complain(error);
  }
}

/** Looks for all dust and begins to walk through it. */
export async function findDust(frame: Frame, lightToo: boolean): Promise<void> {
  const { draft } = useBench.getState();
  if (!draft) return;
  try {
    const body = { recipe: asked(draft), light_too: lightToo, least_chance: 50 };
    const { spots } = await need(
      api.POST("/api/frames/{id}/repairs/dust", { params: { path: { id: frame.id } }, body }),
    );
    if (useBench.getState().frame !== frame.id) return;
    useRepairs.setState({
      tool: "none",
      open: null,
      walk: { frame: frame.id, spots, at: 0, done: spots.map(() => "" as const) },
    });
  } catch (error) {
    complain(error);
  }
}

/** Removes, to be filled, all that the crop shows beyond the picture, as one step. */
export async function fillBeyond(frame: Frame): Promise<void> {
  const { draft, forThis } = useBench.getState();
  if (!draft) return;
  const here = forThis();
  try {
    const body = { recipe: asked(draft) };
    const told = await need(api.POST("/api/frames/{id}/repairs/beyond", { params: { path: { id: frame.id } }, body }));
    const made = told.outlines.map((outline): Repair => ({ ...newRepair("removal", newItemId()), outline }));
    put(frame.id, here, (r) => made.reduce(withPut, r));
  } catch (error) {
    complain(error);
  }
}

const spotRepair = (spot: FoundSpot): Repair => ({
  ...newRepair("spot", newItemId()),
  dx: spot.dx,
  dy: spot.dy,
  strokes: [
    {
      id: newItemId(),
      points: [Math.round(spot.x * 20_000), Math.round(spot.y * 20_000)],
      size: spot.size,
      hardness: 70,
      flow: 100,
      erase: false,
      build_up: false,
      near_edges: false,
      tones: "all",
    },
  ],
});

/** Goes to another of the found spots: the next that waits, or back. */
export function walkOn(by: 1 | -1): void {
  const { walk } = useRepairs.getState();
  if (!walk) return;
  const n = walk.spots.length;
  for (let step = 1; step <= n; step++) {
    const at = (walk.at + by * step + n * step) % n;
    if (by < 0 || walk.done[at] === "") {
      useRepairs.setState({ walk: { ...walk, at } });
      return;
    }
  }
  useRepairs.setState({ walk: { ...walk } });
}

/** Mends the spot that is looked at, or leaves it as it is, and goes to the next. */
export function settle(what: "mended" | "left"): void {
  const { walk } = useRepairs.getState();
  const spot = walk?.spots[walk.at];
  if (!walk || !spot) return;
  if (what === "mended" && walk.done[walk.at] !== "mended") {
    const repair = spotRepair(spot);
    saveAs("", (r) => withPut(r, repair));
  }
  const done = walk.done.map((d, i) => (i === walk.at ? what : d));
  useRepairs.setState({ walk: { ...walk, done } });
  walkOn(1);
}

/** Mends all that still wait and are at least so sure, as one step. */
export function settleAll(leastChance: number): void {
  const { walk } = useRepairs.getState();
  if (!walk) return;
  const taken = walk.spots.filter((s, i) => walk.done[i] === "" && s.chance >= leastChance);
  if (!taken.length) return;
  const made = taken.map(spotRepair);
  saveAs("", (r) => made.reduce(withPut, r));
  const done = walk.done.map((d, i) =>
    d === "" && (walk.spots[i]?.chance ?? 0) >= leastChance ? ("mended" as const) : d,
  );
  useRepairs.setState({ walk: { ...walk, done } });
  walkOn(1);
}

/** Looks for the fill of a removal; the answer goes on with what the hand did last, and is no step of the history by itself. */
export async function fill(frame: number, recipe: Recipe, repair: Repair, here: Here): Promise<void> {
  const body = { recipe: asked(recipe), repair: repair.id };
  const told = await need(api.POST("/api/frames/{id}/repairs/fill", { params: { path: { id: frame } }, body }));
  const same = (one: Repair) => one.fill === "" && fillOf(one) === fillOf(repair);
  const change = (r: Recipe) => withRepair(r, repair.id, (one) => (same(one) ? { ...one, fill: told.fill } : one));
  const { frame: open, mayRedo, save } = useBench.getState();
  // somebody walks through the history meanwhile: a change now would cut off what can be made again
  if (open === frame && mayRedo) return;
  if (open === frame && lastGesture()) save(change, lastGesture());
  else put(frame, here, change);
}
