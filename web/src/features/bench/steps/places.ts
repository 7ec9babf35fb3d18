import { FACTS, type Step } from "../../../api/generated/recipe";

/** Where controls stand in a panel follows from what they belong to, so that a new one has a place without being named here. */

type Known = typeof FACTS;

/** The controls of an operation, in the order in which it declares them. */
export function controlsOf(step: Step, operation: string, facts: Known = FACTS): string[] {
  return Object.entries(facts[step])
    .filter(([, of]) => of.of === operation)
    .map(([name]) => name);
}

/** Gauges that move a range of tones: the whole first, then from dark to light. */
export function fromDarkToLight(step: Step, facts: Known = FACTS): string[] {
  const whole = ([low, high]: [number, number]) => high - low === 10;
  const found = Object.entries(facts[step]).flatMap(([name, { wedge }]) => (wedge ? [{ name, wedge }] : []));
  const place = ({ wedge }: (typeof found)[number]) => (whole(wedge) ? -1 : wedge[0] + wedge[1]);
  return found.sort((a, b) => place(a) - place(b)).map(({ name }) => name);
}

const DRAWN = ["gauge", "angle", "kelvin", "choice", "switch", "hue"];

/** What a panel that puts these operations and controls in places of their own has to show besides. */
export function others(step: Step, placed: readonly string[], facts: Known = FACTS): string[] {
  return Object.entries(facts[step])
    .filter(([name, { of, kind }]) => !placed.includes(of ?? "") && !placed.includes(name) && DRAWN.includes(kind))
    .map(([name]) => name);
}
