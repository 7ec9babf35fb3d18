import { type FC, type SyntheticEvent, useRef } from "react";
import type { Frame } from "../../api/client";
import type { Step } from "../../api/generated/recipe";
import { useBench } from "../../state/bench";
import { useSettled } from "../../state/settled";
import { Button, Switch } from "../../ui/controls";
import { Scope, wedgeStep } from "./scope";
import { Balance } from "./steps/balance";
import { Colour } from "./steps/colour";
import { factsOf, isTouched, neutralOf, type StepProps, stepName } from "./steps/control";
import { Definition } from "./steps/definition";
import { Finish } from "./steps/finish";
import { Framing } from "./steps/framing";
import { Passes } from "./steps/passes";
import { Plain } from "./steps/plain";
import { RepairStep } from "./steps/repair";
import { Tone } from "./steps/tone";

/** Panels of their own; a step without one shows its controls as they are declared. */
const PARTS: Partial<Record<Step, FC<StepProps>>> = {
  framing: Framing,
  balance: Balance,
  tone: Tone,
  colour: Colour,
  definition: Definition,
  repair: RepairStep,
  passes: Passes,
  finish: Finish,
};

/** Controls of the open step above, scope and wedge below. */
export function Panel({ frame, step }: { frame: Frame; step: Step }) {
  const draft = useBench((s) => s.draft);
  // while the next frame opens the controls of the last one stay in place, dimmed and dead: nothing jumps, and the keyboard keeps its place
  const last = useRef(draft);
  if (draft) last.current = draft;
  const shown = draft ?? last.current;
  const dead = (e: SyntheticEvent) => {
    if (draft) return;
    e.preventDefault();
    e.stopPropagation();
  };
  const { save } = useBench.getState();
  const on = !draft?.off.includes(step);
  const Body = PARTS[step];
  return (
    <aside aria-label="Controls" className="flex min-h-0 flex-col border-r border-rule bg-paper">
      <div className="flex items-center gap-2.5 px-3.5 pb-1 pt-2.5">
        <h2 className="font-slab text-[19px] font-semibold leading-6">{stepName(step)}</h2>
        <Switch
          on={on}
          label={`${stepName(step)} switched on`}
          onChange={(value) =>
            save((r) => ({ ...r, off: value ? r.off.filter((s) => s !== step) : [...r.off, step].sort() }))
          }
        />
        <span className="grow" />
        <Button
          quiet
          className="!px-1"
          disabled={!draft || !isTouched(draft, step, frame.raw)}
          onClick={() => save((r) => ({ ...r, [step]: neutralOf(frame.raw)[step] }))}
        >
          Reset step
        </Button>
      </div>
      <div
        className={`scroll-plain min-h-0 grow pb-2 ${on && draft ? "" : "opacity-55"}`}
        aria-busy={!draft}
        onKeyDownCapture={(e) => e.key !== "Tab" && !/^Arrow(Left|Right)$/.test(e.key) && dead(e)}
        onPointerDownCapture={dead}
        onClickCapture={dead}
      >
        {/* a body of its own for each frame: what is half typed on one is never set on another */}
        {shown && Body && <Body key={frame.id} frame={frame} recipe={shown} />}
        {shown && !Body && <Plain key={frame.id} frame={frame} recipe={shown} step={step} />}
      </div>
      {step !== "framing" && <Scopes raw={frame.raw} />}
    </aside>
  );
}

/** Scope and wedge, with what lights them up: the control one rests on, the tone under the pointer. Redrawn for these alone. */
function Scopes({ raw }: { raw: boolean }) {
  const header = useSettled(useBench((s) => s.header));
  const rgb = useBench((s) => s.pixel?.rgb);
  const resting = useBench((s) => s.resting);
  const [place, name] = resting?.split(".") ?? [];
  const wedge = place && name ? factsOf(place as Step, name)?.wedge : null;
  const luma = rgb && 0.2126 * (rgb[0] ?? 0) + 0.7152 * (rgb[1] ?? 0) + 0.0722 * (rgb[2] ?? 0);
  return (
    <Scope
      header={header?.histogram.length ? header : null}
      lit={wedge ?? null}
      under={luma === undefined ? null : wedgeStep(luma)}
      raw={raw}
    />
  );
}
