import { useState } from "react";
import { Choices } from "../../../ui/controls";
import { HueBand } from "../hue_band";
import { Control, controlValue, isTouched, Part, type StepProps } from "./control";
import { InkKeys } from "./ink_keys";
import { controlsOf, others } from "./places";

const RANGES = ["shadows", "midtones", "highlights"] as const;
const PRIMARIES = ["red", "green", "blue"] as const;
const TONING = controlsOf("colour", "toning");
const SHIFTS = controlsOf("colour", "primaries");
const STRENGTH = others("colour", ["toning", "primaries", "black_and_white"]);

/** Strength of colour, ink keys, toning, primaries, black and white. */
export function Colour({ frame, recipe }: StepProps) {
  const [range, setRange] = useState<(typeof RANGES)[number]>("shadows");
  const [primary, setPrimary] = useState<(typeof PRIMARIES)[number]>("red");
  const props = { frame, recipe, step: "colour" as const };
  const grey = recipe.colour.black_and_white;
  const strong = (r: string) => (controlValue(recipe, "colour", `toning_${r}`) as number) > 0;
  return (
    <>
      <Control {...props} name="black_and_white" />
      {!grey && STRENGTH.map((name) => <Control key={name} {...props} name={name} />)}
      <InkKeys frame={frame} recipe={recipe} />
      <Part
        title="Toning"
        touched={isTouched(recipe, "colour", frame.raw, TONING)}
        aside={
          <Choices
            label="Range that is toned"
            value={range}
            options={RANGES.map((r) => [r, strong(r) ? `${r} \u2022` : r] as const)}
            onChange={setRange}
          />
        }
      >
        <Control {...props} name={`toning_${range}_hue`} label="Hue" band={<HueBand />} />
        <Control {...props} name={`toning_${range}`} label="Strength" />
        <Control {...props} name="toning_balance" label="Balance" />
      </Part>
      <Part
        title="Primaries"
        folded
        touched={isTouched(recipe, "colour", frame.raw, SHIFTS)}
        aside={
          <Choices
            label="Primary that is shifted"
            value={primary}
            options={PRIMARIES.map((p) => [p, p] as const)}
            onChange={setPrimary}
          />
        }
      >
        <Control {...props} name={`${primary}_primary_turn`} label="Turn" />
        <Control {...props} name={`${primary}_primary_purity`} label="Purity" />
      </Part>
    </>
  );
}
