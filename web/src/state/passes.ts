import { create } from "zustand";
import type { Area, Pass, PassControls, Recipe, Term } from "../api/generated/recipe";
import { NEUTRAL_CONTROLS } from "../api/generated/recipe";
import { endGesture, useBench } from "./bench";
import { newItemId } from "./items";

export type TermKind = Term["kind"];
export type TermOf<K extends TermKind> = Extract<Term, { kind: K }>;
export type Tool = "none" | "brush" | "band" | "ring" | "tone" | "depth" | "colour" | "near" | "shine";
/** One of the fields of a pass's controls. */
export type ControlName = keyof PassControls;

export interface BrushSettings {
  /** Diameter, percent of the frame's long edge. */
  size: number;
  hardness: number;
  flow: number;
  erase: boolean;
  buildUp: boolean;
  nearEdges: boolean;
  /** Only dark, middle or light places. */
  tones: StrokeTones;
  /** What a pen's pressure does: along the stroke to its size, as a whole to its flow. */
  pen: "size" | "flow" | "both";
}

/** A brush as it is taken up first. */
export const plainBrush = (size: number, hardness: number): BrushSettings => ({
  size,
  hardness,
  flow: 100,
  erase: false,
  buildUp: false,
  nearEdges: false,
  tones: "all",
  pen: "size",
});

/** The group of the passes that lighten and darken by hand. */
export const DODGE_AND_BURN = "Dodge and burn";
const PLAIN = { flow: 100, buildUp: false, nearEdges: false, tones: "all" } as const;
const LITTLE_AT_A_TIME = { ...PLAIN, flow: 25, buildUp: true, hardness: 20 } as const;

/** The brush for a part of an area: as its last stroke was drawn, so that work goes on where it was left, another day too. Of a
 * part without strokes the size and hardness that are in the hand. */
export function brushFor(term: TermOf<"brush">, pass: Pass, inHand: BrushSettings): BrushSettings {
  const last = term.strokes.at(-1);
  const kept = { ...inHand, erase: false };
  if (!last) return { ...kept, ...(pass.group === DODGE_AND_BURN ? LITTLE_AT_A_TIME : PLAIN) };
  const { hardness, flow, tones } = last;
  return { ...kept, size: 100 * last.size, hardness, flow, tones, buildUp: last.build_up, nearEdges: last.near_edges };
}

export type StrokeTones = TermOf<"brush">["strokes"][number]["tones"];

interface Passes {
  /** What the pointer does on the picture while the step is open. */
  tool: Tool;
  /** The part of the area that is being worked on. */
  term: string | null;
  brush: BrushSettings;
  /** Controls that were taken and still stand at neutral. */
  taken: Record<string, ControlName[]>;
  open: (pass: string | null) => void;
  work: (tool: Tool, term: string | null) => void;
  setBrush: (change: Partial<BrushSettings>) => void;
}

export const usePasses = create<Passes>((set, get) => ({
  tool: "none",
  term: null,
  brush: plainBrush(6, 40),
  taken: {},
  open: (pass) => {
    set({ tool: "none", term: null });
    useBench.setState({ openPass: pass, show: "picture" });
  },
  work: (tool, term) => {
    set({ tool, term });
    // the film is there while the hand works on where a pass acts
    useBench.setState({ show: "area", tool: "hand" });
  },
  setBrush: (change) => set({ brush: { ...get().brush, ...change } }),
}));

/** Which sort of change came last: steps of one control are one entry of the history, of two they are two. */
let last = "";

/** Saves a change of the recipe as an entry of its own unless it goes on with what was done just before under the same name. */
export function saveAs(what: string, change: (recipe: Recipe) => Recipe): void {
  if (what !== last || what === "") endGesture();
  last = what;
  useBench.getState().save(change);
}

export type Here = ReturnType<ReturnType<typeof useBench.getState>["forThis"]>;

/** {@link saveAs} for the version that something was done to, which may not be the open one any more when an answer comes. */
export function saveTo(here: Here, what: string, change: (recipe: Recipe) => Recipe): void {
  if (here.isOpen()) saveAs(what, change);
  else here.save(change);
}

export const passesOf = (recipe: Recipe | null): Pass[] => recipe?.passes.passes ?? [];

const withPasses = (recipe: Recipe, passes: Pass[]): Recipe => ({ ...recipe, passes: { ...recipe.passes, passes } });

/** A recipe with one pass changed; null takes it away. */
export function withPass(recipe: Recipe, id: string, change: (pass: Pass) => Pass | null): Recipe {
  return withPasses(
    recipe,
    passesOf(recipe).flatMap((p) => {
      if (p.id !== id) return [p];
      const next = change(p);
      return next ? [next] : [];
    }),
  );
}

export const withArea = (recipe: Recipe, id: string, change: (area: Area) => Area): Recipe =>
  withPass(recipe, id, (p) => ({ ...p, area: change(p.area) }));

/** A recipe with one part of an area changed; null strikes it out. */
export function withTerm(recipe: Recipe, pass: string, id: string, change: (term: Term) => Term | null): Recipe {
  return withArea(recipe, pass, (area) => ({
    ...area,
    terms: area.terms.flatMap((t) => {
      if (t.id !== id) return [t];
      const next = change(t);
      return next ? [next] : [];
    }),
  }));
}

/** A recipe with a new part of an area at the end. */
export function withNewTerm(recipe: Recipe, pass: string, term: Term): Recipe {
  const next = withArea(recipe, pass, (area) => ({ ...area, terms: [...area.terms, term] }));
  if (term.kind !== "found") return next;
  // a pass that nobody has named is called after what was found for it
  const wish = term.what.charAt(0).toUpperCase() + term.what.slice(1);
  const name = freeName(passesOf(recipe), wish);
  return withPass(next, pass, (p) => (/^Pass \d+$/.test(p.name) && p.area.terms.length === 1 ? { ...p, name } : p));
}

/** A name that no pass has yet. */
export function freeName(passes: readonly Pass[], wish = "Pass"): string {
  const names = new Set(passes.map((p) => p.name));
  if (!names.has(wish) && wish !== "Pass") return wish;
  for (let n = 1; ; n++) if (!names.has(`${wish} ${n}`)) return `${wish} ${n}`;
}

export function newPass(passes: readonly Pass[]): Pass {
  return {
    id: newItemId(),
    name: freeName(passes),
    on: true,
    strength: 100,
    blend: "normal",
    group: "",
    area: { terms: [], inverted: false, close_px: 0, smooth_px: 0, grow_px: 0, soften_px: 0, cling: 0 },
    controls: NEUTRAL_CONTROLS,
  };
}

/** A recipe with a pass on top of the others, printed last. */
export const withNewPass = (recipe: Recipe, pass: Pass): Recipe => withPasses(recipe, [...passesOf(recipe), pass]);

/** A recipe with two passes for the lighter and the darker brush, in a group of their own, and the ids of pass and brush to begin with. */
export function withDodgeAndBurn(recipe: Recipe): { recipe: Recipe; pass: Pass; term: Term } {
  const make = (name: string, exposure_ev: number): Pass => {
    const fresh = newPass(passesOf(recipe));
    const brush: Term = { id: newItemId(), kind: "brush", join: "add", strength: 100, inverted: false, strokes: [] };
    return {
      ...fresh,
      name: freeName(passesOf(recipe), name),
      group: DODGE_AND_BURN,
      area: { ...fresh.area, terms: [brush] },
      controls: { ...fresh.controls, exposure_ev },
    };
  };
  const [burn, dodge] = [make("Burn", -0.7), make("Dodge", 0.7)];
  return {
    recipe: withNewPass(withNewPass(recipe, burn), dodge),
    pass: dodge,
    term: dodge.area.terms[0] as Term,
  };
}

/** A recipe with a pass doubled, right above itself. */
export function withDouble(recipe: Recipe, id: string, copy: string): Recipe {
  const passes = passesOf(recipe);
  const at = passes.findIndex((p) => p.id === id);
  const one = passes[at];
  if (!one) return recipe;
  const doubled: Pass = { ...one, id: copy, name: freeName(passes, `${one.name.slice(0, 34)} copy`) };
  return withPasses(recipe, [...passes.slice(0, at + 1), doubled, ...passes.slice(at + 1)]);
}

/** A recipe with a pass moved so that it stands where another one does. */
export function withMoved(recipe: Recipe, id: string, to: number): Recipe {
  const passes = passesOf(recipe);
  const one = passes.find((p) => p.id === id);
  if (!one) return recipe;
  const rest = passes.filter((p) => p.id !== id);
  const at = Math.min(Math.max(to, 0), rest.length);
  return withPasses(recipe, [...rest.slice(0, at), one, ...rest.slice(at)]);
}

/** Controls that are nothing without each other: the hue of a tint without its strength, a size without what has it. */
const TOGETHER: readonly (readonly ControlName[])[] = [
  ["tint_strength", "tint_hue"],
  ["glow", "glow_percent"],
  ["even_colour", "even_light", "forms_percent"],
  ["shine", "shine_tone", "forms_percent"],
  ["black_and_white", "red_grey"],
];

/** Shows the gauges of a control, and of those that go with it, on a pass. */
export function takeControls(pass: string, name: ControlName): void {
  const more = TOGETHER.find((group) => group.includes(name)) ?? [name];
  usePasses.setState((s) => ({ taken: { ...s.taken, [pass]: [...(s.taken[pass] ?? []), ...more] } }));
}

/** Controls of a pass that are set, or were taken to be set, in the order of the list. */
export function controlsInUse(pass: Pass, taken: readonly ControlName[] = []): ControlName[] {
  return (Object.keys(NEUTRAL_CONTROLS) as ControlName[]).filter(
    (name) => taken.includes(name) || JSON.stringify(pass.controls[name]) !== JSON.stringify(NEUTRAL_CONTROLS[name]),
  );
}

/** The same with those that are nothing without them. */
export function controlsShown(pass: Pass, taken: readonly ControlName[] = []): ControlName[] {
  const used = controlsInUse(pass, taken);
  const shown = new Set(used.flatMap((name) => TOGETHER.find((group) => group.includes(name)) ?? [name]).concat(used));
  return (Object.keys(NEUTRAL_CONTROLS) as ControlName[]).filter((name) => shown.has(name));
}
