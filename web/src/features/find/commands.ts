import { FACTS, STEPS } from "../../api/generated/recipe";
import { go, type Route } from "../../state/route";
import { stepName } from "../bench/steps/control";

export interface Command {
  name: string;
  /** What it belongs to, shown behind its name. */
  where: string;
  run: () => void;
}

/** Everything that can be called by name where one is: places, steps, and the controls of the steps. */
export function commandsAt(route: Route): Command[] {
  const shoot = route.place === "shoots" || route.place === "find" ? null : route.shoot;
  const found: Command[] = [
    { name: "Shoots", where: "place", run: () => go({ place: "shoots" }) },
    { name: "Find frames in all shoots", where: "place", run: () => go({ place: "find", search: "" }) },
  ];
  if (shoot !== null) {
    found.push(
      { name: "Contact sheet", where: "place", run: () => go({ place: "sheet", shoot }) },
      { name: "Delivery desk", where: "place", run: () => go({ place: "deliver", shoot, frames: [] }) },
    );
  }
  if (route.place === "bench")
    for (const step of STEPS) {
      const open = () => go({ ...route, step }, true);
      found.push({ name: stepName(step), where: "step", run: open });
      for (const control of Object.values(FACTS[step]))
        found.push({
          name: control.label,
          where: stepName(step),
          run: () => {
            open();
            focusSoon(control.label);
          },
        });
    }
  return found;
}

/** The keyboard goes to a control as soon as its step is drawn; where a part is folded away its head is as near as it gets. */
function focusSoon(label: string, tries = 12): void {
  const at = document.querySelector<HTMLElement>(
    `[aria-label="${CSS.escape(label)}"], [aria-label^="${CSS.escape(label)}, "]`,
  );
  if (at) {
    at.scrollIntoView({ block: "center" });
    at.focus();
  } else if (tries > 0) setTimeout(() => focusSoon(label, tries - 1), 60);
}

/** How well a name answers what was typed; 0 not at all. Beginnings of words count more than their insides. */
export function score(name: string, typed: string): number {
  const lower = name.toLowerCase();
  let sum = 0;
  for (const word of typed.toLowerCase().split(/\s+/).filter(Boolean)) {
    const at = lower.indexOf(word);
    if (at < 0) return 0;
    sum += at === 0 ? 3 : /[\s(-]/.test(lower[at - 1] ?? "") ? 2 : 1;
  }
  return sum / (1 + name.length / 200);
}
