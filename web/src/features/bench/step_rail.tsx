import { Maximize, PanelLeftClose, PanelLeftOpen, PanelRightClose, PanelRightOpen } from "lucide-react";
import type { Frame } from "../../api/client";
import { STEPS, type Step } from "../../api/generated/recipe";
import { useBench } from "../../state/bench";
import { useRoom } from "../../state/room";
import { Hint } from "../../ui/controls";
import { isTouched, stepName, stepNumber } from "./steps/control";

/** The steps in working order, and what is folded away. */
export function StepRail({ step, frame, onStep }: { step: Step; frame: Frame | undefined; onStep: (s: Step) => void }) {
  const draft = useBench((s) => s.draft);
  return (
    <nav aria-label="Steps" className="flex flex-col border-r border-rule bg-zinc pt-1.5">
      {STEPS.map((s) => {
        const touched = draft && frame && isTouched(draft, s, frame.raw);
        const off = draft?.off.includes(s);
        return (
          <button
            key={s}
            type="button"
            aria-current={s === step ? "step" : undefined}
            aria-keyshortcuts={`Shift+${stepNumber(s)}`}
            onClick={() => onStep(s)}
            className={`relative flex h-[62px] flex-col items-center justify-center ${s === step ? "bg-paper" : "hover:bg-[#dcdcdc]"}`}
          >
            {s === step && <span className="absolute bottom-2 left-0 top-2 w-1 bg-ink" />}
            {touched && <span className="absolute right-2 top-2 h-1.5 w-1.5 rounded-full bg-wax" title="adjusted" />}
            <span className={`font-slab text-[19px] font-semibold leading-5 ${off ? "text-ink3" : ""}`}>
              {stepNumber(s)}
            </span>
            <span className={`text-xs ${off ? "text-ink2 line-through" : "text-ink2"}`}>{stepName(s)}</span>
          </button>
        );
      })}
      <span className="grow" />
      <Folds />
    </nav>
  );
}

/** Folds the controls and the frame strip away, for more picture. */
function Folds() {
  const { panel, strip, fold, setAlone } = useRoom();
  const look = "flex h-8 w-full items-center justify-center text-ink2 hover:bg-[#dcdcdc] hover:text-ink";
  return (
    <div className="mb-1">
      <Hint text={panel ? "Fold the controls away" : "Controls"} side="right">
        <button
          type="button"
          aria-label="Controls in sight"
          aria-pressed={panel}
          className={look}
          onClick={() => fold("panel")}
        >
          {panel ? <PanelLeftClose size={17} aria-hidden /> : <PanelLeftOpen size={17} aria-hidden />}
        </button>
      </Hint>
      <Hint text={strip ? "Fold the frames away" : "Frames of the shoot"} side="right">
        <button
          type="button"
          aria-label="Frames in sight"
          aria-pressed={strip}
          className={look}
          onClick={() => fold("strip")}
        >
          {strip ? <PanelRightClose size={17} aria-hidden /> : <PanelRightOpen size={17} aria-hidden />}
        </button>
      </Hint>
      <Hint text="The picture alone (B)" side="right">
        <button
          type="button"
          aria-label="The picture alone"
          aria-keyshortcuts="B"
          className={look}
          onClick={() => setAlone(true)}
        >
          <Maximize size={16} aria-hidden />
        </button>
      </Hint>
    </div>
  );
}
