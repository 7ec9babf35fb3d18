import { type Facts, PASS_FACTS, type Pass, type Term } from "../../../api/generated/recipe";
import { type ControlName, controlsInUse } from "../../../state/passes";
import { written } from "../../../ui/number";

export const RANGES = ["shadows", "midtones", "highlights"] as const;

export const factsOfControl = (name: ControlName): Facts => PASS_FACTS[name];

const JOINS: Record<Term["join"], string> = { add: "and also", without: "without", only: "only where" };

/** The word between a part of an area and those before it. */
export const joinWord = (term: Term, first: boolean): string =>
  first && term.join === "add" ? "" : first && term.join === "without" ? "everything but" : JOINS[term.join];

const KINDS: Record<Exclude<Term["kind"], "found">, string> = {
  brush: "brush",
  band: "band",
  ring: "ring",
  tone: "tone",
  depth: "depth",
  colour: "colour",
  near: "like this near here",
  edges: "edges",
};

type FoundKind = Extract<Term, { kind: "found" }>["what"];
export const foundWord = (what: FoundKind): string => (what === "subject" ? "main subject" : what);
export const termWord = (term: Term): string => (term.kind === "found" ? foundWord(term.what) : KINDS[term.kind]);

/** What is said of a part besides its name. */
export function termAside(term: Term, depthMap: boolean): string {
  switch (term.kind) {
    case "brush":
      return term.strokes.length === 1 ? "1 stroke" : `${term.strokes.length} strokes`;
    case "tone":
      if (term.low <= 0) return `darker than ${term.high.toFixed(0)} %`;
      if (term.high >= 100) return `lighter than ${term.low.toFixed(0)} %`;
      return `${term.low.toFixed(0)} to ${term.high.toFixed(0)} %`;
    case "depth":
      if (!depthMap) return "no depth map here";
      if (term.low <= 0) return `nearer than ${term.high.toFixed(0)} %`;
      if (term.high >= 100) return `farther than ${term.low.toFixed(0)} %`;
      return `${term.low.toFixed(0)} to ${term.high.toFixed(0)} %`;
    case "found":
      return term.sure > 0 ? `${term.sure.toFixed(0)} % sure` : "not found here";
    default:
      return "";
  }
}

/** Weights in grey rest while there is colour, the other keys while there is none, hues while nothing has them. */
function rests(pass: Pass, name: ControlName): boolean {
  if (factsOfControl(name).kind === "key") return name.endsWith("_grey") !== pass.controls.black_and_white;
  if (name === "toning_balance") return !RANGES.some((range) => pass.controls[`toning_${range}`] > 0);
  return RANGES.some((range) => name === `toning_${range}_hue` && pass.controls[`toning_${range}`] === 0);
}

/** What a pass does, in a few words. */
export function doesWords(pass: Pass): string {
  const said = controlsInUse(pass).flatMap((name): string[] => {
    const facts = factsOfControl(name);
    const value = pass.controls[name];
    const label = facts.label.toLowerCase();
    if (name === "tint_hue" || rests(pass, name)) return [];
    if (name === "exposure_ev") return [`${written(value as number, 2, true)} EV`];
    if (name === "warmer_mired") {
      const mired = value as number;
      return [`${mired > 0 ? "warmer" : "cooler"} ${Math.abs(mired).toFixed(0)} mired`];
    }
    if (facts.kind === "picked") return pass.controls.shine ? ["to a picked tone"] : [];
    if (facts.kind === "curve") return ["curve"];
    if (facts.kind === "switch") return [label];
    return [`${label} ${written(value as number, facts.decimals, facts.low < 0)}${facts.unit ? ` ${facts.unit}` : ""}`];
  });
  const blend = pass.blend === "normal" ? [] : [pass.blend.replace("_", " ")];
  return [...blend, ...said].join(", ") || "does nothing yet";
}

/** The share of the picture that an area covers, as it is told. */
export const coverWords = (cover: number): string =>
  cover > 0 && cover < 0.001 ? "< 0.1 %" : `${(100 * cover).toFixed(cover < 0.0995 ? 1 : 0)} %`;
