import { memo, type ReactNode, useState } from "react";
import type { Frame } from "../../../api/client";
import { FACTS, type Facts, NEUTRAL, type Recipe, STEPS, type Step } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { equal } from "../../../state/equal";
import { sections } from "../../../state/patch";
import { Choices, Hint, Switch } from "../../../ui/controls";
import { Gauge } from "../../../ui/gauge";

export const stepName = (step: Step): string => step.charAt(0).toUpperCase() + step.slice(1);
/** A step's place in the working order of the bench, from 1. */
export const stepNumber = (step: Step): number => STEPS.indexOf(step) + 1;

export interface StepProps {
  frame: Frame;
  recipe: Recipe;
}

/** Words, range and unit of a control. */
export function factsOf(step: Step, name: string): Facts | undefined {
  return FACTS[step]?.[name];
}

export function neutralOf(raw: boolean): Recipe {
  return raw ? NEUTRAL.raw : NEUTRAL.rendered;
}

export function controlValue(recipe: Recipe, step: Step, name: string): unknown {
  return sections(recipe)[step]?.[name];
}

/** A recipe with one control changed. */
export function withControl(recipe: Recipe, step: Step, control: string, value: unknown): Recipe {
  return withControls(recipe, step, { [control]: value });
}

/** A recipe with some controls of a step changed. */
export function withControls(recipe: Recipe, step: Step, values: Record<string, unknown>): Recipe {
  const section = sections(recipe)[step] ?? {};
  return { ...recipe, [step]: { ...section, ...values } } as Recipe;
}

export function isTouched(recipe: Recipe, step: Step, raw: boolean, names?: readonly string[]): boolean {
  const neutral = neutralOf(raw);
  if (!names) return !equal(recipe[step], neutral[step]);
  return names.some((name) => !equal(controlValue(recipe, step, name), controlValue(neutral, step, name)));
}

interface ControlProps extends StepProps {
  step: Step;
  name: string;
  /** A shorter name where the heading above says the rest. */
  label?: string;
  band?: ReactNode;
  children?: ReactNode;
  notches?: readonly (readonly [number, string])[];
  /** After a new value was saved by hand. */
  onSaved?: () => void;
}

/**
 * The gauge, choice or switch of one control, wired to the store. Drawn again only when its own value changes: a drag on one
 * gauge changes the recipe thirty times a second.
 */
export const Control = memo(ControlOfOne, (a, b) => {
  const own = (p: ControlProps) => controlValue(p.recipe, p.step, p.name);
  const same = a.frame === b.frame && a.step === b.step && a.name === b.name && a.label === b.label;
  return same && own(a) === own(b);
});

function ControlOfOne({ frame, recipe, step, name, label, band, children, notches, onSaved }: ControlProps) {
  const { edit, save, cancel } = useBench.getState();
  const kelvin = useBench((s) => s.header?.as_shot.temperature_kelvin);
  const tint = useBench((s) => s.header?.as_shot.tint);
  const why = useBench((s) => s.reasons[`${step}.${name}`]);
  const facts = factsOf(step, name);
  if (!facts || (facts.raw_only && !frame.raw)) return null;
  const shown = label ? { ...facts, label } : facts;
  const stored = controlValue(recipe, step, name);
  const neutral = controlValue(neutralOf(frame.raw), step, name);
  const set = (value: unknown) => {
    forget(`${step}.${name}`);
    save((r) => withControl(r, step, name, value));
    onSaved?.();
  };
  if (facts.kind === "choice")
    return (
      <div className="flex h-7 items-center justify-between gap-2 px-3.5">
        <span className="text-sm" title={facts.help}>
          {shown.label}
        </span>
        <Choices label={facts.label} value={stored as string} options={facts.options ?? []} onChange={set} />
      </div>
    );
  if (facts.kind === "switch")
    return (
      <div className="flex h-7 items-center justify-between px-3.5">
        <span className="text-sm" title={facts.help}>
          {shown.label}
        </span>
        <Switch on={stored === true} label={facts.label} onChange={set} />
      </div>
    );
  const rest = (neutral ?? (name === "temperature_kelvin" ? kelvin || 5500 : (tint ?? 0))) as number;
  return (
    <Gauge
      facts={shown}
      fullName={fullName(facts.label, shown.label)}
      value={(stored ?? rest) as number}
      neutral={rest}
      signed={facts.low < 0}
      unset={stored === null ? (frame.raw ? "as shot" : "as it is") : undefined}
      notches={notches}
      band={band}
      onDraft={(v) => edit((r) => withControl(r, step, name, v))}
      onSet={set}
      onReset={() => set(neutral)}
      onCancel={cancel}
      onRest={(on) => useBench.setState({ resting: on ? `${step}.${name}` : null })}
    >
      {why && stored !== neutral && (
        <Hint text={why} side="right">
          <button type="button" className="ml-1.5 border-b border-dotted border-ink2 text-[11px] text-ink2">
            why
          </button>
        </Hint>
      )}
      {children}
    </Gauge>
  );
}

/** The control's own name and the short one that is in sight, so that both are found. */
function fullName(own: string, short: string): string {
  return own.toLowerCase().includes(short.toLowerCase()) ? own : `${own}, ${short.toLowerCase()}`;
}

/** A value that was set by hand is no proposal any more. */
function forget(control: string): void {
  const { [control]: _, ...reasons } = useBench.getState().reasons;
  useBench.setState({ reasons });
}

/** A part of a step under a heading that can be folded; the heading says whether something in it is set. */
export function Part({
  title,
  touched,
  folded = false,
  aside,
  children,
}: {
  title: string;
  touched: boolean;
  folded?: boolean;
  aside?: ReactNode;
  children: ReactNode;
}) {
  const [open, setOpen] = useState(!folded || touched);
  return (
    <section aria-label={title} className="mt-2 border-t border-rule pt-1.5">
      <div className="flex h-6 items-center px-3.5">
        <h3>
          <button
            type="button"
            aria-expanded={open}
            onClick={() => setOpen(!open)}
            className="flex items-center gap-1.5 text-sm font-semibold"
          >
            <span aria-hidden className="w-2.5 text-ink2">
              {open ? "\u2212" : "+"}
            </span>
            {title}
            {touched && <span className="h-1.5 w-1.5 rounded-full bg-wax" title="adjusted" />}
          </button>
        </h3>
        <span className="grow" />
        {open && aside}
      </div>
      {open && children}
    </section>
  );
}
