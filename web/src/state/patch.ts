import type { Recipe, Step } from "../api/generated/recipe";
import { FACTS } from "../api/generated/recipe";
import { equal } from "./equal";
import { isItems, mergedItems } from "./items";

/** Step -> control -> value. */
export type Values = Record<string, Record<string, unknown>>;

/** What a change puts: controls, and steps switched on or off. */
export interface Patch {
  values: Values;
  switches: Record<string, boolean>;
}

export const EMPTY: Patch = { values: {}, switches: {} };

/** The steps of a recipe with their controls. */
export function sections({ recipe: _number, versions: _versions, off: _off, ...steps }: Recipe): Values {
  return steps;
}

/** What leads from one recipe to another. */
export function difference(from: Recipe, to: Recipe): Patch {
  const values: Values = {};
  const [before, after] = [sections(from), sections(to)];
  for (const step of Object.keys(after)) {
    if (before[step] === after[step]) continue;
    for (const [name, value] of Object.entries(after[step] ?? {}))
      if (!equal(value, before[step]?.[name])) values[step] = { ...values[step], [name]: value };
  }
  const switches: Record<string, boolean> = {};
  for (const step of from.off) if (!to.off.includes(step)) switches[step] = true;
  for (const step of to.off) if (!from.off.includes(step)) switches[step] = false;
  return { values, switches };
}

/** A recipe with a patch put on it; the same object when nothing changes. */
export function patched(recipe: Recipe, patch: Patch): Recipe {
  let next = recipe;
  for (const [step, controls] of Object.entries(patch.values)) {
    const now = sections(next)[step] ?? {};
    if (Object.entries(controls).every(([name, value]) => equal(now[name], value))) continue;
    next = { ...next, [step]: { ...now, ...controls } } as Recipe;
  }
  for (const [step, on] of Object.entries(patch.switches)) {
    if (next.off.includes(step as Step) !== on) continue;
    const off = on ? next.off.filter((s) => s !== step) : [...next.off, step as Step].sort();
    next = { ...next, off };
  }
  return next;
}

export const isEmpty = (patch: Patch): boolean =>
  Object.keys(patch.values).length === 0 && Object.keys(patch.switches).length === 0;

/** The later of two patches wins where both put the same. */
export function merged(first: Patch, second: Patch): Patch {
  const values: Values = { ...first.values };
  for (const [step, controls] of Object.entries(second.values)) values[step] = { ...values[step], ...controls };
  return { values, switches: { ...first.switches, ...second.switches } };
}

/** What a patch puts, one name each: "tone.exposure_ev", or "tone" for a switch. */
export function touches(patch: Patch): string[] {
  const controls = Object.entries(patch.values).flatMap(([step, c]) => Object.keys(c).map((name) => `${step}.${name}`));
  return [...controls, ...Object.keys(patch.switches)];
}

/** A patch without what another one puts. */
export function without(patch: Patch, other: Patch): Patch {
  const gone = new Set(touches(other));
  const values: Values = {};
  for (const [step, controls] of Object.entries(patch.values))
    for (const [name, value] of Object.entries(controls))
      if (!gone.has(`${step}.${name}`)) values[step] = { ...values[step], [name]: value };
  const switches = Object.fromEntries(Object.entries(patch.switches).filter(([step]) => !gone.has(step)));
  return { values, switches };
}

/** What stands in a recipe at the places that a patch puts. */
export function standing(recipe: Recipe, patch: Patch): Patch {
  const values: Values = {};
  for (const [step, controls] of Object.entries(patch.values))
    values[step] = Object.fromEntries(Object.keys(controls).map((name) => [name, sections(recipe)[step]?.[name]]));
  const switches = Object.fromEntries(Object.keys(patch.switches).map((s) => [s, !recipe.off.includes(s as Step)]));
  return { values, switches };
}

/**
 * A patch as it is to be put where something else stands now: what touches other controls, or other items of a list, stays as it is.
 * Null when both put the same, each in its own way.
 */
export function reconciled(now: Patch, before: Patch, put: Patch): Patch | null {
  const values: Values = {};
  for (const [step, controls] of Object.entries(put.values))
    for (const [name, mine] of Object.entries(controls)) {
      const [theirs, was] = [now.values[step]?.[name], before.values[step]?.[name]];
      let next: unknown = mine;
      if (!equal(theirs, was) && !equal(theirs, mine)) {
        next = isItems(theirs) && isItems(was) && isItems(mine) ? mergedItems(was, theirs, mine) : null;
        if (next === null) return null;
      }
      values[step] = { ...values[step], [name]: next };
    }
  for (const [step, on] of Object.entries(put.switches))
    if (now.switches[step] !== before.switches[step] && now.switches[step] !== on) return null;
  return { values, switches: put.switches };
}

/** The controls of a patch in words. */
export function named(patch: Patch): string {
  const words = touches(patch).map((key) => {
    const [step = "", name] = key.split(".");
    return name ? (FACTS[step as Step]?.[name]?.label ?? name) : `the step ${step}`;
  });
  const unique = [...new Set(words)];
  return unique.length > 3 ? `${unique.slice(0, 2).join(", ")} and ${unique.length - 2} more` : unique.join(", ");
}
