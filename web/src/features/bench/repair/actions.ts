import { api, type Frame, need } from "../../../api/client";
import type { Recipe, Repair } from "../../../api/generated/recipe";
import { type Place, POINT_SCALE } from "../../../canvas/strokes";
import { lastGesture, useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain, useNotices } from "../../../state/notices";
import { type Here, saveAs, saveTo } from "../../../state/passes";
import { type FoundSpot, fillOf, newRepair, repairsOf, useRepairs, withPut, withRepair } from "../../../state/repairs";
import { inTurn } from "../../../state/turns";
import type { Stroke } from "../drawing/brush_layer";

export type Hand = ReturnType<typeof useRepairs.getState>;

/** The recipe as the server is asked about repairs: paintings of passes say nothing about them. */
const asked = (recipe: Recipe): Recipe => ({ ...recipe, passes: { passes: [] } });

/** Where a repair may be taken from, the best first. */
export async function sourcesOf(
  frame: number,
  recipe: Recipe,
  repair: string,
): Promise<{ dx: number; dy: number; cost: number }[]> {
  const body = { recipe: asked(recipe), repair };
  return (await need(api.POST("/api/frames/{id}/repairs/sources", { params: { path: { id: frame } }, body }))).sources;
}

/** Opens a repair in the list, if its version is still the one on the bench. */
function openIn(here: Here, repair: string): void {
  if (here.isOpen()) useRepairs.setState({ open: repair });
}

/** Puts a new repair down whose source is looked for first: a spot, a patch, a heal whose source was not picked. To be called
 * in turn. */
export async function putWithSource(frame: number, here: Here, repair: Repair): Promise<void> {
  const recipe = here.recipe();
  if (!recipe) return;
  const found = await sourcesOf(frame, withPut(recipe, repair), repair.id);
  const best = found[0];
  if (!best) return;
  saveTo(here, "", (r) => withPut(r, { ...repair, dx: best.dx, dy: best.dy }));
  openIn(here, repair.id);
}

/** A finished stroke of a tool: a new repair, or one more stroke of the open one. `hand`: the tool as it was when it was drawn. */
export async function finishStroke(frame: Frame, here: Here, stroke: Stroke, hand: Hand): Promise<void> {
  const { tool, open } = hand;
  const recipe = here.recipe();
  if (tool === "none" || tool === "patch" || !recipe) return;
  const current = repairsOf(recipe).find((r) => r.id === open);
  if (stroke.erase) {
    if (current && current.kind !== "patch" && current.strokes.length)
      saveTo(here, "", (r) =>
        withRepair(r, current.id, (one) => ({ ...one, strokes: [...one.strokes, stroke], fill: "" })),
      );
    else useNotices.getState().say("Open a painted repair in the list first; then its strokes can be rubbed out.");
    return;
  }
  const repair = drawnWith(recipe, stroke, hand);
  if (!repair) return;
  if ((tool === "spot" || (tool === "heal" && !hand.anchor)) && repair.id === stroke.id)
    return putWithSource(frame.id, here, repair);
  saveTo(here, "", (r) => withPut(r, repair));
  openIn(here, repair.id);
}

/** The repair that a stroke makes or goes on with; null, and told, where something is still to be picked. */
export function drawnWith(recipe: Recipe, stroke: Stroke, s: Hand = useRepairs.getState()): Repair | null {
  if (s.tool === "none" || s.tool === "patch") return null;
  const current = repairsOf(recipe).find((r) => r.id === s.open && r.kind === s.tool);
  const fresh = { ...newRepair(s.tool, stroke.id), strokes: [stroke] };
  const start: Place = [(stroke.points[0] ?? 0) / POINT_SCALE, (stroke.points[1] ?? 0) / POINT_SCALE];
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
  if (repair.kind === "removal") {
    const seed = Math.max(repair.seed + by, 0);
    if (seed !== repair.seed) saveAs("", (r) => withRepair(r, repair.id, (one) => ({ ...one, seed, fill: "" })));
    return;
  }
  const here = useBench.getState().forThis();
  return inTurn(async () => {
    const recipe = here.recipe();
    const current = repairsOf(recipe).find((r) => r.id === repair.id);
    if (!recipe || !current) return;
    try {
      const found = await sourcesOf(frame.id, recipe, repair.id);
      if (!found.length) return;
      const number = (current.candidate + by + found.length) % found.length;
      const next = found[number];
      if (next)
        saveTo(here, "", (r) =>
          withRepair(r, repair.id, (one) => ({ ...one, dx: next.dx, dy: next.dy, candidate: number })),
        );
    } catch (error) {
      complain(error);
    }
  });
}

let picks = 0;

/** A new pick on a frame: tells later whether its answer is still wanted, or another place was picked or another frame opened. */
export function pickOn(frame: Frame): () => boolean {
  picks += 1;
  const mine = picks;
  return () => mine === picks && useBench.getState().frame === frame.id;
}

/** Picks what a cover is painted with. */
export async function pickColour(frame: Frame, at: Place, wanted: () => boolean): Promise<void> {
  const { draft } = useBench.getState();
  if (!draft) return;
  try {
    const body = { recipe: asked(draft), x: at[0], y: at[1], radius_px: 4 };
    const told = await need(api.POST("/api/frames/{id}/repairs/colour", { params: { path: { id: frame.id } }, body }));
    if (!wanted()) return;
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
export function fillBeyond(frame: Frame): Promise<void> {
  const here = useBench.getState().forThis();
  return inTurn(async () => {
    const recipe = here.recipe();
    if (!recipe) return;
    const path = { id: frame.id };
    try {
      const body = { recipe: asked(recipe) };
      const told = await need(api.POST("/api/frames/{id}/repairs/beyond", { params: { path }, body }));
      const made = told.outlines.map((outline): Repair => ({ ...newRepair("removal", newItemId()), outline }));
      saveTo(here, "", (r) => made.reduce(withPut, r));
    } catch (error) {
      complain(error);
    }
  });
}

const spotRepair = (spot: FoundSpot): Repair => ({
  ...newRepair("spot", newItemId()),
  dx: spot.dx,
  dy: spot.dy,
  strokes: [
    {
      id: newItemId(),
      points: [Math.round(spot.x * POINT_SCALE), Math.round(spot.y * POINT_SCALE)],
      size: spot.size,
      hardness: 70,
      flow: 100,
      erase: false,
      build_up: false,
      near_edges: false,
      tones: "all",
      widths: [],
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
  const { mayRedo, save } = useBench.getState();
  // somebody walks through the history meanwhile: a change now would cut off what can be made again
  if (here.isOpen() && mayRedo) return;
  if (here.isOpen() && lastGesture()) save(change, lastGesture());
  else saveTo(here, "", change);
}
