import { useState } from "react";
import { api, type Frame, need } from "../../../api/client";
import type { Point } from "../../../canvas/curve";
import { useBench } from "../../../state/bench";
import { complain } from "../../../state/notices";
import { useSettled } from "../../../state/settled";
import { whenAnswered } from "../../../state/turns";
import { Button, Choices, Hint } from "../../../ui/controls";
import { type Channel, CurveEditor } from "../curve_editor";
import { Control, isTouched, type StepProps, withControl } from "./control";
import { controlsOf, fromDarkToLight, others } from "./places";
import { Proposals, withValues } from "./proposals";

const GAUGES = fromDarkToLight("tone");
const LEVELS = controlsOf("tone", "levels");
const CURVES = controlsOf("tone", "curve");
const OTHERS = others("tone", ["levels", "curve", "view", "highlight_recovery", ...GAUGES]);

/** Proposals, the gauges along the wedge, how scene light becomes tones, and curve or levels. */
export function Tone({ frame, recipe }: StepProps) {
  const tool = useBench((s) => s.tool);
  const histogram = useSettled(useBench((s) => s.header))?.histogram[3] ?? null;
  const { edit, save, cancel } = useBench.getState();
  const [drawing, setDrawing] = useState<"curve" | "levels">("curve");
  const curves = {
    luminance: recipe.tone.curve_luminance,
    rgb: recipe.tone.curve_rgb,
    red: recipe.tone.curve_red,
    green: recipe.tone.curve_green,
    blue: recipe.tone.curve_blue,
  } as Record<Channel, Point[]>;
  const control = (channel: Channel) => `curve_${channel}`;
  const dot = (names: readonly string[]) => isTouched(recipe, "tone", frame.raw, names);
  return (
    <>
      <Proposals frame={frame} recipe={recipe} of="tone" />
      {GAUGES.map((name) => (
        <Control key={name} frame={frame} recipe={recipe} step="tone" name={name}>
          {(name === "black_point" || name === "white_point") && <FromData frame={frame} name={name} />}
        </Control>
      ))}
      {OTHERS.map((name) => (
        <Control key={name} frame={frame} recipe={recipe} step="tone" name={name} />
      ))}
      <div className="pt-1.5">
        <Control frame={frame} recipe={recipe} step="tone" name="view" />
        <Control frame={frame} recipe={recipe} step="tone" name="highlight_recovery" label="Blown" />
      </div>
      <div className="mt-1.5 flex items-center border-t border-rule px-3.5 pt-2">
        <Choices
          label="Curve or levels"
          value={drawing}
          options={[
            ["curve", dot(CURVES) ? "Curve \u2022" : "Curve"],
            ["levels", dot(LEVELS) ? "Levels \u2022" : "Levels"],
          ]}
          onChange={setDrawing}
        />
        <span className="grow" />
        {drawing === "curve" && (
          <Hint text="Press on a tone in the picture and drag it up or down">
            <Button
              quiet
              pressed={tool === "tone"}
              className="!h-6 !px-1"
              onClick={() => useBench.setState({ tool: tool === "tone" ? "hand" : "tone" })}
            >
              On the picture
            </Button>
          </Hint>
        )}
      </div>
      {drawing === "curve" ? (
        <CurveEditor
          curves={curves}
          histogram={histogram}
          onDraft={(channel, points) => edit((r) => withControl(r, "tone", control(channel), points))}
          onSet={(channel, points) => save((r) => withControl(r, "tone", control(channel), points))}
          onCancel={cancel}
        />
      ) : (
        LEVELS.map((name) => <Control key={name} frame={frame} recipe={recipe} step="tone" name={name} />)
      )}
    </>
  );
}

/** Sets an end of the scale from what the picture holds. */
function FromData({ frame, name }: { frame: Frame; name: "black_point" | "white_point" }) {
  const [busy, setBusy] = useState(false);
  const ask = async () => {
    const { draft, forThis } = useBench.getState();
    if (!draft) return;
    const { save } = forThis();
    setBusy(true);
    try {
      const answer = need(
        api.POST("/api/frames/{id}/suggest", {
          params: { path: { id: frame.id } },
          body: { recipe: draft, of: name },
        }),
      );
      await whenAnswered(answer, ({ proposals: [found] }) => {
        if (!found) return;
        useBench.setState((s) => ({ reasons: { ...s.reasons, ...found.reasons } }));
        save((r) => withValues(r, found.values));
      });
    } catch (error) {
      complain(error);
    }
    setBusy(false);
  };
  return (
    <button
      type="button"
      disabled={busy}
      title="Set from the data of this picture"
      onClick={() => void ask()}
      className="ml-1.5 rounded-[2px] border border-rule px-1 text-[11px] leading-4 text-ink2 hover:border-ink hover:text-ink"
    >
      from data
    </button>
  );
}
