import { expect, test } from "vitest";
import { NEUTRAL, type Pass, type Term } from "../api/generated/recipe";
import { nextSize } from "../features/bench/passes/use_pass_keys";
import {
  brushFor,
  controlsInUse,
  controlsShown,
  freeName,
  newPass,
  passesOf,
  plainBrush,
  type TermOf,
  takeControls,
  usePasses,
  withDodgeAndBurn,
  withDouble,
  withMoved,
  withNewPass,
  withNewTerm,
  withPass,
  withTerm,
} from "./passes";

const recipe = ["a", "b", "c"].reduce(
  (r, id) => withNewPass(r, { ...newPass(passesOf(r)), id, name: id }),
  NEUTRAL.raw,
);
const names = (r: typeof recipe) => passesOf(r).map((p) => p.name);
const untouched: TermOf<"brush"> = {
  id: "u",
  join: "add",
  strength: 100,
  inverted: false,
  kind: "brush",
  strokes: [],
};
const found: Term = {
  id: "t",
  join: "add",
  strength: 100,
  inverted: false,
  kind: "found",
  what: "sky",
  sure: 90,
  raster: "",
};

test("passes are moved, doubled and taken away; the others stay the same objects", () => {
  expect(names(withMoved(recipe, "a", 2))).toEqual(["b", "c", "a"]);
  expect(names(withMoved(recipe, "c", -5))).toEqual(["c", "a", "b"]);
  expect(withMoved(recipe, "nobody", 0)).toBe(recipe);
  expect(names(withDouble(recipe, "b", "x"))).toEqual(["a", "b", "b copy", "c"]);
  expect(names(withPass(recipe, "b", () => null))).toEqual(["a", "c"]);
  expect(passesOf(withPass(recipe, "b", (p) => ({ ...p, on: false })))[0]).toBe(passesOf(recipe)[0]);
});

test("names are free ones", () => {
  expect(freeName(passesOf(recipe))).toBe("Pass 1");
  expect(freeName(passesOf(recipe), "a")).toBe("a 1");
  expect(freeName([], "Sky")).toBe("Sky");
});

test("a pass that nobody has named is called after what was found for it first", () => {
  const fresh = { ...newPass([]), id: "new" };
  const named = withNewTerm(withNewPass(recipe, fresh), "new", found);
  expect(names(named).at(-1)).toBe("Sky");
  expect(names(withNewTerm(named, "a", found))[0]).toBe("a");
  const struck = withTerm(named, "new", "t", () => null);
  expect(passesOf(struck).at(-1)?.area.terms).toEqual([]);
});

test("dodge and burn are two passes of a group, the lighter on top", () => {
  const made = withDodgeAndBurn(recipe);
  expect(names(made.recipe).slice(3)).toEqual(["Burn", "Dodge"]);
  const [burn, dodge] = passesOf(made.recipe).slice(3);
  expect(burn?.controls.exposure_ev).toBeLessThan(0);
  expect(dodge?.controls.exposure_ev).toBeGreaterThan(0);
  expect(dodge?.area.terms[0]).toBe(made.term);
  expect(new Set(passesOf(made.recipe).map((p) => p.id)).size).toBe(5);
});

test("a brush is taken up again as it was laid down", () => {
  const soft = { size: 0.12, hardness: 5, flow: 30, erase: true, build_up: true, near_edges: true };
  const stroke = { ...soft, id: "s", points: [1, 1], tones: "shadows" as const, widths: [] };
  const plain = { ...stroke, id: "p", flow: 90, build_up: false };
  const term = { ...untouched, strokes: [plain, stroke] };
  const inHand = { ...plainBrush(3, 60), flow: 70, pen: "both" } as const;
  expect(brushFor(term, newPass([]), inHand)).toEqual({
    size: 12,
    hardness: 5,
    flow: 30,
    erase: false,
    buildUp: true,
    nearEdges: true,
    tones: "shadows",
    pen: "both",
  });
});

test("a first stroke of a pass is full, one that dodges or burns little at a time", () => {
  const { recipe: made, pass, term } = withDodgeAndBurn(recipe);
  if (term.kind !== "brush") throw new Error(term.kind);
  const slight = brushFor(term, pass, { ...plainBrush(3, 60), erase: true });
  expect(slight).toEqual({ ...plainBrush(3, 20), flow: 25, buildUp: true });
  const burn = passesOf(made).find((p) => p.name === "Burn");
  expect(brushFor(term, burn as Pass, plainBrush(3, 60)).flow).toBe(25);
  // the next pass is another matter: what is in the hand keeps its size and hardness only
  expect(brushFor(untouched, newPass([]), slight)).toEqual(plainBrush(3, 20));
});

test("only controls that are set or taken are in use", () => {
  const pass = { ...newPass([]), controls: { ...newPass([]).controls, contrast: 5 } };
  expect(controlsInUse(pass)).toEqual(["contrast"]);
  expect(controlsInUse(pass, ["haze", "exposure_ev"])).toEqual(["exposure_ev", "contrast", "haze"]);
});

test("the brush's sizes go in steps up and down and end", () => {
  expect(nextSize(6, 1)).toBe(8);
  expect(nextSize(6, -1)).toBe(4);
  expect(nextSize(5, 1)).toBe(6);
  expect(nextSize(60, 1)).toBe(60);
  expect(nextSize(0.2, -1)).toBe(0.2);
});

test("a control that is set shows those that are nothing without it", () => {
  const pass = newPass([]);
  const set = (controls: Partial<Pass["controls"]>) =>
    controlsShown({ ...pass, controls: { ...pass.controls, ...controls } });
  expect(controlsShown(pass)).toEqual([]);
  expect(set({ glow: 40 })).toEqual(["glow", "glow_percent"]);
  expect(set({ shine: 40 })).toEqual(["shine", "shine_tone", "forms_percent"]);
  expect(set({ even_light: -40 })).toEqual(["even_colour", "even_light", "forms_percent"]);
  expect(set({ contrast: 3, tint_hue: 90 })).toEqual(["contrast", "tint_strength", "tint_hue"]);
  takeControls(pass.id, "glow_percent");
  expect(usePasses.getState().taken[pass.id]).toEqual(["glow", "glow_percent"]);
});
