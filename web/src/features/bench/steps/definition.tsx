import { useBench } from "../../../state/bench";
import { Button } from "../../../ui/controls";
import { asksForSlow } from "../picture_data";
import { Control, isTouched, Part, type StepProps } from "./control";
import { controlsOf, others } from "./places";

const SHARPENING = controlsOf("definition", "sharpen");
const NOISE = controlsOf("definition", "noise");
const FORM = ["clarity", ...others("definition", ["sharpen", "noise", "clarity"])];
const SHORT: Record<string, string> = {
  sharpen_amount: "Amount",
  luminance_noise: "Luminance",
  colour_noise: "Colour",
};

/** What the picture shows of the best noise reduction. */
const SLOW = {
  none: "Shown at 1:1 after some seconds.",
  working: "Being worked out for what is in sight.",
  shown: "Shown as it is delivered.",
};

/** Form, sharpening with its edge area, noise. */
export function Definition({ frame, recipe }: StepProps) {
  const show = useBench((s) => s.show);
  const hot = useBench((s) => s.header?.hot_pixels);
  const slow = useBench((s) => s.slow);
  const zoom = useBench((s) => s.viewport.zoom);
  const props = { frame, recipe, step: "definition" as const };
  return (
    <>
      {FORM.map((name) => (
        <Control key={name} {...props} name={name} />
      ))}
      <Part
        title="Sharpening"
        touched={isTouched(recipe, "definition", frame.raw, SHARPENING)}
        aside={
          <Button
            quiet
            className="!h-6 !px-1"
            pressed={show === "edges"}
            onClick={() => useBench.setState({ show: show === "edges" ? "picture" : "edges" })}
          >
            Show edge area
          </Button>
        }
      >
        {SHARPENING.map((name) => (
          <Control key={name} {...props} name={name} label={SHORT[name]} />
        ))}
      </Part>
      <Part title="Noise" touched={isTouched(recipe, "definition", frame.raw, NOISE)}>
        {NOISE.filter((name) => name !== "hot_pixels").map((name) => (
          <Control key={name} {...props} name={name} label={SHORT[name]} />
        ))}
        {asksForSlow(recipe) && (
          <p role="status" className="px-3.5 pb-1 text-xs text-ink2">
            {SLOW[slow]}
          </p>
        )}
        <Control {...props} name="hot_pixels" />
        {hot !== null && hot !== undefined && (
          <p className="px-3.5 text-xs text-ink2">
            {hot === 0 ? "None found in this file." : `${hot.toLocaleString("en-GB")} found in this file and replaced.`}
          </p>
        )}
      </Part>
      {zoom === "fit" && (
        <p className="px-3.5 pt-2 text-xs text-ink2">
          Sharpening and noise are judged at 1:1 (<b>F</b>); in the fit view they hardly show.
        </p>
      )}
    </>
  );
}
