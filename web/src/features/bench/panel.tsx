import { Pipette } from "lucide-react";
import type { Frame } from "../../api/client";
import { CONTROLS, NEUTRAL, type Recipe, type Step } from "../../api/generated/recipe";
import type { Point } from "../../canvas/curve";
import { useBench } from "../../state/bench";
import { equal } from "../../state/equal";
import { Button, Choices, Switch } from "../../ui/controls";
import { Gauge, type GaugeFacts } from "../../ui/gauge";
import { type Channel, CurveEditor } from "./curve_editor";
import { Scope, wedgeStep } from "./scope";

export const STEP_NAMES: Record<Step, string> = { balance: "Balance", tone: "Tone" };
/** Places of the steps in the working order of the bench. */
export const STEP_NUMBERS: Record<Step, number> = { balance: 2, tone: 3 };
export const STEPS: Step[] = ["balance", "tone"];

const LIGHTS = [
  [1900, "candle"],
  [2850, "tungsten"],
  [4200, "fluorescent"],
  [5200, "daylight"],
  [5700, "flash"],
  [6500, "cloudy"],
  [7500, "shade"],
] as const;

type Values = Record<string, Record<string, unknown>>;

/** A recipe with one control changed. */
export function withControl(recipe: Recipe, step: Step, control: string, value: unknown): Recipe {
  const section = (recipe as unknown as Values)[step] ?? {};
  return { ...recipe, [step]: { ...section, [control]: value } } as Recipe;
}

export function isTouched(recipe: Recipe, step: Step, raw: boolean): boolean {
  const neutral = raw ? NEUTRAL.raw : NEUTRAL.rendered;
  return !equal(recipe[step], neutral[step]);
}

/** Controls of the open step above, scope and wedge below. */
export function Panel({ frame, step }: { frame: Frame; step: Step }) {
  const draft = useBench((s) => s.draft);
  const header = useBench((s) => s.header);
  const pixel = useBench((s) => s.pixel);
  const resting = useBench((s) => s.resting);
  const { save } = useBench.getState();
  const neutral = frame.raw ? NEUTRAL.raw : NEUTRAL.rendered;
  const ui = resting
    ? (CONTROLS.tone as unknown as Record<string, { wedge?: [number, number] | null }>)[resting]
    : null;
  const on = !draft?.off.includes(step);
  return (
    <aside aria-label="Controls" className="flex min-h-0 flex-col border-r border-rule bg-paper">
      <div className="flex items-center gap-2.5 px-3.5 pb-1 pt-2.5">
        <h2 className="font-slab text-[19px] font-semibold leading-6">{STEP_NAMES[step]}</h2>
        <Switch
          on={on}
          label={`${STEP_NAMES[step]} switched on`}
          onChange={(value) =>
            save((r) => ({ ...r, off: value ? r.off.filter((s) => s !== step) : [...r.off, step].sort() }))
          }
        />
        <span className="grow" />
        <Button
          quiet
          className="!px-1"
          disabled={!draft || !isTouched(draft, step, frame.raw)}
          onClick={() => save((r) => ({ ...r, [step]: neutral[step] }))}
        >
          Reset step
        </Button>
      </div>
      <div className={`scroll-plain min-h-0 grow pb-2 ${on ? "" : "opacity-55"}`}>
        {draft &&
          (step === "balance" ? <Balance frame={frame} recipe={draft} /> : <Tone frame={frame} recipe={draft} />)}
      </div>
      <Scope
        histogram={header?.histogram.length ? header.histogram : null}
        clipped={header?.histogram.length ? header.clipped : null}
        lit={ui?.wedge ?? null}
        under={
          pixel
            ? wedgeStep(0.2126 * (pixel.rgb[0] ?? 0) + 0.7152 * (pixel.rgb[1] ?? 0) + 0.0722 * (pixel.rgb[2] ?? 0))
            : null
        }
        raw={frame.raw}
      />
    </aside>
  );
}

function Control({ frame, recipe, step, name }: { frame: Frame; recipe: Recipe; step: Step; name: string }) {
  const { edit, save, cancel } = useBench.getState();
  const header = useBench((s) => s.header);
  const facts = (CONTROLS as unknown as Record<string, Record<string, GaugeFacts & { kind: string }>>)[step]?.[name];
  if (!facts) return null;
  const stored = (recipe as unknown as Values)[step]?.[name] as number | null;
  const neutral = (frame.raw ? NEUTRAL.raw : NEUTRAL.rendered) as unknown as Values;
  const rest = (neutral[step]?.[name] ?? asShot(name, header)) as number;
  return (
    <Gauge
      facts={facts}
      value={stored ?? rest}
      neutral={rest}
      signed={facts.kind === "gauge"}
      unset={stored === null ? (frame.raw ? "as shot" : "as it is") : undefined}
      notches={facts.kind === "kelvin" ? LIGHTS : undefined}
      onDraft={(v) => edit((r) => withControl(r, step, name, v))}
      onSet={(v) => save((r) => withControl(r, step, name, v))}
      onReset={() => save((r) => withControl(r, step, name, neutral[step]?.[name]))}
      onCancel={cancel}
      onRest={(on) => useBench.setState({ resting: on ? name : null })}
    />
  );
}

function asShot(name: string, header: { as_shot: { temperature_kelvin: number; tint: number } } | null): number {
  if (name === "temperature_kelvin") return header?.as_shot.temperature_kelvin || 5500;
  return header?.as_shot.tint ?? 0;
}

function Balance({ frame, recipe }: { frame: Frame; recipe: Recipe }) {
  const picking = useBench((s) => s.picking);
  const header = useBench((s) => s.header);
  const { save } = useBench.getState();
  const kelvin = recipe.balance.temperature_kelvin;
  return (
    <>
      <div className="flex flex-wrap gap-2 px-3.5 pb-2 pt-1">
        <Button pressed={picking} onClick={() => useBench.setState({ picking: !picking })}>
          <Pipette size={14} aria-hidden />
          Pick a neutral
        </Button>
        <Button
          disabled={kelvin === null && recipe.balance.tint === null}
          onClick={() => save((r) => ({ ...r, balance: { temperature_kelvin: null, tint: null } }))}
        >
          {frame.raw ? "As shot" : "As it is"}
        </Button>
      </div>
      <p className="min-h-9 px-3.5 pb-1 text-xs text-ink2">
        {picking
          ? "Press on a grey or white surface in the picture, or drag over a larger one. Esc leaves."
          : frame.raw
            ? header &&
              `The camera chose ${header.as_shot.temperature_kelvin} K, tint ${header.as_shot.tint.toFixed(0)}.`
            : "This file is already rendered: temperature and tint shift it as if its light had been another."}
      </p>
      <Control frame={frame} recipe={recipe} step="balance" name="temperature_kelvin" />
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
    </>
  );
}

function Tone({ frame, recipe }: { frame: Frame; recipe: Recipe }) {
  const header = useBench((s) => s.header);
  const { edit, save, cancel } = useBench.getState();
  const curves = {
    luminance: recipe.tone.curve_luminance,
    rgb: recipe.tone.curve_rgb,
    red: recipe.tone.curve_red,
    green: recipe.tone.curve_green,
    blue: recipe.tone.curve_blue,
  } as Record<Channel, Point[]>;
  const control = (channel: Channel) => `curve_${channel}`;
  return (
    <>
      {["exposure_ev", "black_point", "contrast", "white_point"].map((name) => (
        <Control key={name} frame={frame} recipe={recipe} step="tone" name={name} />
      ))}
      <div className="flex items-baseline justify-between px-3.5 pt-2">
        <span className="text-sm" title={CONTROLS.tone.view.help}>
          {CONTROLS.tone.view.label}
        </span>
        <Choices
          label={CONTROLS.tone.view.label}
          value={recipe.tone.view}
          options={[
            ["standard", CONTROLS.tone.view.options.standard],
            ["linear", CONTROLS.tone.view.options.linear],
          ]}
          onChange={(view) => save((r) => withControl(r, "tone", "view", view))}
        />
      </div>
      <CurveEditor
        curves={curves}
        histogram={header?.histogram[3] ?? null}
        onDraft={(channel, points) => edit((r) => withControl(r, "tone", control(channel), points))}
        onSet={(channel, points) => save((r) => withControl(r, "tone", control(channel), points))}
        onCancel={cancel}
      />
    </>
  );
}
