import type { Facts } from "../../api/generated/recipe";
import { Choices } from "../../ui/controls";
import { Fader } from "../../ui/fader";

const INKS = {
  red: "#c8554a",
  yellow: "#b8942a",
  green: "#5b9a3c",
  cyan: "#2f9a8c",
  blue: "#4a7cc4",
  magenta: "#b4559a",
} as const;
export type Ink = keyof typeof INKS;
export type KeyProperty = "hue" | "saturation" | "lightness" | "grey";
export const COLOURS = Object.keys(INKS) as Ink[];

interface Props {
  property: KeyProperty;
  narrow?: boolean;
  factsOf: (name: `${Ink}_${KeyProperty}`) => Facts | undefined;
  at: (name: `${Ink}_${KeyProperty}`) => number;
  onDraft: (name: `${Ink}_${KeyProperty}`, value: number) => void;
  onSet: (name: `${Ink}_${KeyProperty}`, value: number) => void;
  onCancel: () => void;
}

/** Faders of one property of the six hues. */
export function SixKeys({ property, narrow, factsOf, at, onDraft, onSet, onCancel }: Props) {
  return COLOURS.map((colour) => {
    const name = `${colour}_${property}` as const;
    const facts = factsOf(name);
    return (
      <Fader
        key={colour}
        name={colour}
        label={facts?.label ?? colour}
        help={facts?.help ?? ""}
        ink={INKS[colour]}
        narrow={narrow}
        value={at(name)}
        onDraft={(v) => onDraft(name, v)}
        onSet={(v) => onSet(name, v)}
        onCancel={onCancel}
      />
    );
  });
}

/** What the keys change, beside their heading. */
export function KeyChoice({
  property,
  onChange,
}: {
  property: KeyProperty;
  onChange: (property: KeyProperty) => void;
}) {
  if (property === "grey") return <span className="text-xs text-ink2">weight of each hue in grey</span>;
  return (
    <Choices
      label="What the keys change"
      value={property}
      options={[
        ["hue", "hue"],
        ["saturation", "saturation"],
        ["lightness", "lightness"],
      ]}
      onChange={onChange}
    />
  );
}
