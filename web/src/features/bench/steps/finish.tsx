import { Control, isTouched, Part, type StepProps } from "./control";
import { controlsOf, others } from "./places";

const PARTS = { Vignette: "vignette", Grain: "grain", Border: "border" };
const SHORT: Record<string, string> = {
  grain: "Strength",
  grain_size_px: "Size",
  border_percent: "Width",
  border_tone: "Tone",
};
const OTHERS = others("finish", Object.values(PARTS));

/** What is laid over the finished picture. */
export function Finish({ frame, recipe }: StepProps) {
  const props = { frame, recipe, step: "finish" as const };
  return (
    <>
      {OTHERS.map((name) => (
        <Control key={name} {...props} name={name} />
      ))}
      {Object.entries(PARTS).map(([title, operation]) => {
        const names = controlsOf("finish", operation);
        return (
          <Part key={title} title={title} touched={isTouched(recipe, "finish", frame.raw, names)}>
            {names.map((name) => (
              <Control key={name} {...props} name={name} label={SHORT[name]} />
            ))}
          </Part>
        );
      })}
    </>
  );
}
