import { Control, isTouched, Part, type StepProps } from "./control";

const EDGE = ["edge_light_ev", "edge_reach", "edge_softness", "edge_roundness", "edge_spare_highlights"] as const;
const GRAIN = ["grain", "grain_size_px"] as const;
const BORDER = ["border_percent", "border_tone"] as const;

/** What is laid over the finished picture. */
export function Finish({ frame, recipe }: StepProps) {
  const props = { frame, recipe, step: "finish" as const };
  const touched = (names: readonly string[]) => isTouched(recipe, "finish", frame.raw, names);
  return (
    <>
      <Part title="Vignette" touched={touched(EDGE)}>
        {EDGE.map((name) => (
          <Control key={name} {...props} name={name} />
        ))}
      </Part>
      <Part title="Grain" touched={touched(GRAIN)}>
        <Control {...props} name="grain" label="Strength" />
        <Control {...props} name="grain_size_px" label="Size" />
      </Part>
      <Part title="Border" touched={touched(BORDER)}>
        <Control {...props} name="border_percent" label="Width" />
        <Control {...props} name="border_tone" label="Tone" />
      </Part>
    </>
  );
}
