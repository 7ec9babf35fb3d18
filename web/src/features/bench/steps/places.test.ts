import { expect, it } from "vitest";
import { FACTS, type Facts, type Step } from "../../../api/generated/recipe";
import { controlsOf, fromDarkToLight, others } from "./places";

/** The facts as they are, with one control more that no panel names. */
function withNew(step: Step, name: string, of: Partial<Facts>): typeof FACTS {
  const facts = { kind: "gauge", label: name, help: "", ...of } as Facts;
  return { ...FACTS, [step]: { ...FACTS[step], [name]: facts } };
}

it("tone's gauges stand from dark to light, the whole picture's first", () => {
  const names = fromDarkToLight("tone");
  expect(names).toEqual(["exposure_ev", "black_point", "shadows", "contrast", "highlights", "white_point"]);
  const more = fromDarkToLight("tone", withNew("tone", "fill", { of: "fill", wedge: [1, 5] }));
  expect(more).toEqual(["exposure_ev", "black_point", "shadows", "fill", "contrast", "highlights", "white_point"]);
});

it("a control stands with those of its operation", () => {
  expect(controlsOf("finish", "grain")).toEqual(["grain", "grain_size_px"]);
  const more = withNew("definition", "sharpen_halo", { of: "sharpen" });
  expect(controlsOf("definition", "sharpen", more)).toContain("sharpen_halo");
  expect(others("definition", ["sharpen", "noise"], more)).not.toContain("sharpen_halo");
});

it("a new operation's gauge is shown though no panel names it", () => {
  const more = withNew("finish", "halation", { of: "halation" });
  expect(others("finish", ["vignette", "grain", "border"], more)).toEqual(["halation"]);
  expect(others("finish", ["vignette", "grain", "border", "halation"], more)).toEqual([]);
});

it("a control that has a place of its own by its name is not shown twice, and what is drawn elsewhere not at all", () => {
  const more = withNew("tone", "fill", { of: "fill" });
  expect(others("tone", ["levels", "curve", "view", "recovery", ...fromDarkToLight("tone")], more)).toEqual(["fill"]);
  expect(others("repair", [])).toEqual([]);
});

it("every control says which operation it belongs to", () => {
  for (const step of Object.values(FACTS)) for (const facts of Object.values(step)) expect(facts.of).toBeTruthy();
});
