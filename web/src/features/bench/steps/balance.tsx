import { Pipette } from "lucide-react";
import { useBench } from "../../../state/bench";
import { Button } from "../../../ui/controls";
import { Control, type StepProps } from "./control";
import { others } from "./places";
import { Proposals } from "./proposals";

const OTHERS = others("balance", ["temperature_kelvin", "tint"]);

export const LIGHTS = [
  [1900, "candle"],
  [2850, "tungsten"],
  [4200, "fluorescent"],
  [5200, "daylight"],
  [5700, "flash"],
  [6500, "cloudy"],
  [7500, "shade"],
] as const;

/** White balance: pick a neutral, let it be found, or choose the light. */
export function Balance({ frame, recipe }: StepProps) {
  const tool = useBench((s) => s.tool);
  const header = useBench((s) => s.header);
  const { save } = useBench.getState();
  const kelvin = recipe.balance.temperature_kelvin;
  return (
    <>
      <div className="flex gap-1.5 px-3.5 pb-1 pt-1">
        <Button
          pressed={tool === "neutral"}
          onClick={() => useBench.setState({ tool: tool === "neutral" ? "hand" : "neutral" })}
        >
          <Pipette size={14} aria-hidden />
          Pick a neutral
        </Button>
        <Button
          disabled={recipe.balance.temperature_kelvin === null && recipe.balance.tint === null}
          onClick={() => save((r) => ({ ...r, balance: { temperature_kelvin: null, tint: null } }))}
        >
          {frame.raw ? "As shot" : "As it is"}
        </Button>
      </div>
      <p className="min-h-9 px-3.5 pb-1 text-xs text-ink2">
        {tool === "neutral"
          ? "Press on a grey or white surface in the picture, or drag over a larger one. Esc leaves."
          : frame.raw
            ? header &&
              `The camera chose ${header.as_shot.temperature_kelvin} K, tint ${header.as_shot.tint.toFixed(0)}.`
            : "This file is already rendered: temperature and tint shift it as if its light had been another."}
      </p>
      <Control frame={frame} recipe={recipe} step="balance" name="temperature_kelvin" notches={LIGHTS} />
      <div className="grid grid-cols-2 gap-1 px-3.5 pb-2 pt-1.5">
        {LIGHTS.map(([k, name]) => (
          <button
            key={name}
            type="button"
            onClick={() => save((r) => ({ ...r, balance: { temperature_kelvin: k, tint: 0 } }))}
            aria-pressed={kelvin === k}
            className={`flex items-baseline justify-between rounded-[2px] border px-1.5 py-1 text-xs ${kelvin === k ? "border-ink bg-white font-semibold" : "border-rule bg-sheet text-ink2 hover:border-ink hover:text-ink"}`}
          >
            {name}
            <span className="text-ink3">{k}</span>
          </button>
        ))}
      </div>
      <Control frame={frame} recipe={recipe} step="balance" name="tint" />
      {OTHERS.map((name) => (
        <Control key={name} frame={frame} recipe={recipe} step="balance" name={name} />
      ))}
      <Proposals frame={frame} recipe={recipe} of="balance" />
    </>
  );
}
