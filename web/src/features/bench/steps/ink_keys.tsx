import { Pipette } from "lucide-react";
import { useState } from "react";
import type { Recipe } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { Button } from "../../../ui/controls";
import { Fader } from "../../../ui/fader";
import { leave } from "../../../ui/focus";
import { Gauge } from "../../../ui/gauge";
import { KeyChoice, type KeyProperty, SixKeys } from "../six_keys";
import { controlValue, factsOf, type StepProps, withControl } from "./control";

export type OwnKey = Recipe["colour"]["own_keys"][number];

const REACH = {
  label: "Reach",
  unit: "",
  help: "How far from its colour the key acts; show its reach to see it.",
  low: 5,
  high: 100,
  step: 1,
  decimals: 0,
  scale: "linear",
} as const;

/** A recipe with one picked key changed (null takes it away). */
export function withKey(recipe: Recipe, id: string, change: Partial<OwnKey> | null): Recipe {
  const keys = recipe.colour.own_keys;
  const next =
    change === null ? keys.filter((k) => k.id !== id) : keys.map((k) => (k.id === id ? { ...k, ...change } : k));
  return withControl(recipe, "colour", "own_keys", next);
}

/** A name for a new key that is not taken: after its hue. */
export function nameFor(a: number, b: number, taken: readonly string[]): string {
  const hue = ((Math.atan2(b, a) * 180) / Math.PI + 360) % 360;
  const words = [
    [15, "rose"],
    [45, "brick"],
    [75, "ochre"],
    [115, "straw"],
    [150, "leaf"],
    [185, "jade"],
    [235, "teal"],
    [275, "sky"],
    [310, "violet"],
    [345, "plum"],
    [360, "rose"],
  ] as const;
  const word = words.find(([end]) => hue <= end)?.[1] ?? "key";
  if (!taken.includes(word)) return word;
  for (let n = 2; ; n++) if (!taken.includes(`${word} ${n}`)) return `${word} ${n}`;
}

/** Upright faders for the six hues, and beside them keys picked from the picture. */
export function InkKeys({ recipe }: StepProps) {
  const grey = recipe.colour.black_and_white;
  const [chosen, setChosen] = useState<KeyProperty>("saturation");
  const property: KeyProperty = grey ? "grey" : chosen === "grey" ? "saturation" : chosen;
  const tool = useBench((s) => s.tool);
  const show = useBench((s) => s.show);
  const current = useBench((s) => s.ownKey);
  const { edit, save, cancel } = useBench.getState();
  const keys = recipe.colour.own_keys;
  const key = keys.find((k) => k.id === current);
  return (
    <section aria-label="Ink keys" className="mt-2 border-t border-rule pt-1.5">
      <div className="flex h-6 items-center justify-between px-3.5">
        <h3 className="text-sm font-semibold">Ink keys</h3>
        <KeyChoice property={property} onChange={setChosen} />
      </div>
      <div className="scroll-plain flex overflow-x-auto px-2 pb-1 pt-1">
        <SixKeys
          property={property}
          narrow={keys.length > 0}
          factsOf={(name) => factsOf("colour", name)}
          at={(name) => controlValue(recipe, "colour", name) as number}
          onDraft={(name, v) => edit((r) => withControl(r, "colour", name, v))}
          onSet={(name, v) => save((r) => withControl(r, "colour", name, v))}
          onCancel={cancel}
        />
        {keys.length > 0 && <span className="mx-1 w-px shrink-0 bg-rule" />}
        {keys.map((k) => (
          <Fader
            key={k.id}
            name={k.name}
            label={`${k.name}, picked key, ${property}`}
            help={`${property} of the colours that this key reaches.`}
            ink={`oklab(${k.centre_lightness} ${k.centre_a} ${k.centre_b})`}
            value={k[property]}
            chosen={k === key}
            narrow
            onChoose={() => useBench.setState({ ownKey: k.id })}
            onDraft={(v) => edit((r) => withKey(r, k.id, { [property]: v }))}
            onSet={(v) => save((r) => withKey(r, k.id, { [property]: v }))}
            onCancel={cancel}
          />
        ))}
      </div>
      <div className="flex gap-1.5 px-3.5 pt-1">
        <Button
          pressed={tool === "key"}
          disabled={keys.length >= 12}
          onClick={() => useBench.setState({ tool: tool === "key" ? "hand" : "key" })}
        >
          <Pipette size={14} aria-hidden />
          Pick a colour
        </Button>
        {key && (
          <Button
            pressed={show === "reach"}
            onClick={() => useBench.setState({ show: show === "reach" ? "picture" : "reach" })}
          >
            Show its reach
          </Button>
        )}
      </div>
      {tool === "key" && (
        <p className="px-3.5 pt-1 text-xs text-ink2">
          Press on a colour in the picture, or drag over an area of it. It gets a key of its own. Esc leaves.
        </p>
      )}
      {key && (
        <div className="pt-1">
          <div className="flex h-7 items-center gap-1.5 px-3.5">
            <input
              aria-label="Name of the key"
              defaultValue={key.name}
              key={`${key.id} ${key.name}`}
              maxLength={24}
              onKeyDown={(e) => {
                e.stopPropagation();
                if (e.key === "Enter") leave(e.currentTarget);
              }}
              onBlur={(e) => {
                const name = e.currentTarget.value.trim();
                if (name && name !== key.name) save((r) => withKey(r, key.id, { name }));
                else e.currentTarget.value = key.name;
              }}
              className="h-6 w-28 rounded-[2px] border border-rule bg-white px-1.5 text-sm"
            />
            <span className="grow" />
            <Button
              quiet
              className="!px-1"
              onClick={() => {
                useBench.setState({ show: "picture", ownKey: null });
                save((r) => withKey(r, key.id, null));
              }}
            >
              Remove key
            </Button>
          </div>
          <Gauge
            facts={REACH}
            value={key.reach}
            neutral={30}
            onDraft={(v) => edit((r) => withKey(r, key.id, { reach: v }))}
            onSet={(v) => save((r) => withKey(r, key.id, { reach: v }))}
            onReset={() => save((r) => withKey(r, key.id, { reach: 30 }))}
            onCancel={cancel}
          />
        </div>
      )}
    </section>
  );
}
