import type { Step } from "../../../api/generated/recipe";
import { Control, type StepProps } from "./control";
import { others } from "./places";

/** Controls of a step that has no panel of its own, in the order in which they are declared. */
export function Plain({ frame, recipe, step }: StepProps & { step: Step }) {
  return others(step, []).map((name) => <Control key={name} frame={frame} recipe={recipe} step={step} name={name} />);
}
