import type { GaugeFacts } from "../../../ui/gauge";

/** Words and range of a number of a tool; what it sets is no control of the recipe. */
export const toolFacts = (
  label: string,
  low: number,
  high: number,
  step: number,
  unit: string,
  help: string,
  decimals = 0,
): GaugeFacts => ({ label, low, high, step, unit, help, decimals, scale: "linear" });

/** The brush, in Passes and in Repair. */
export const BRUSH: ["size" | "hardness" | "flow", GaugeFacts][] = [
  ["size", { ...toolFacts("Size", 0.2, 60, 0.1, "%", "Diameter, of the long edge ([ and ]).", 1), scale: "log" }],
  ["hardness", toolFacts("Hardness", 0, 100, 1, "%", "How much of it acts in full (Shift with [ and ]).")],
  ["flow", toolFacts("Flow", 1, 100, 1, "%", "How much one stroke lays on.")],
];
