import { useState } from "react";
import { NEUTRAL_CONTROLS, type Pass } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import type { ControlName } from "../../../state/passes";
import { Choices } from "../../../ui/controls";
import { Gauge } from "../../../ui/gauge";
import { HueBand } from "../hue_band";
import { COLOURS, KeyChoice, type KeyProperty, SixKeys } from "../six_keys";
import { factsOfControl, RANGES } from "./words";

interface Props {
  pass: Pass;
  draft: (name: ControlName, value: unknown) => void;
  set: (name: ControlName, value: unknown) => void;
}

const PROPERTIES = ["saturation", "hue", "lightness"] as const;

/** The ink keys of a pass; where it takes colour out, the weights of the hues in grey. */
export function PassKeys({ pass, draft, set }: Props) {
  const [chosen, setChosen] = useState<KeyProperty>(() => firstMoved(pass));
  const property = pass.controls.black_and_white ? "grey" : chosen;
  return (
    <section aria-label="Ink keys of the pass" className="pt-1">
      <div className="flex h-6 items-center justify-between px-3.5">
        <span className="text-sm">Ink keys</span>
        <KeyChoice property={property} onChange={setChosen} />
      </div>
      <div className="flex px-2 pb-1 pt-1">
        <SixKeys
          property={property}
          factsOf={factsOfControl}
          at={(name) => pass.controls[name]}
          onDraft={draft}
          onSet={set}
          onCancel={useBench.getState().cancel}
        />
      </div>
    </section>
  );
}

/** What the keys change where they do: opening a pass shows what it does. */
const firstMoved = (pass: Pass): KeyProperty =>
  PROPERTIES.find((property) => COLOURS.some((colour) => pass.controls[`${colour}_${property}`] !== 0)) ?? "saturation";

/** Toning of a pass, one range at a time. */
export function PassToning({ pass, draft, set }: Props) {
  const strength = (r: (typeof RANGES)[number]) => pass.controls[`toning_${r}`];
  const [range, setRange] = useState<(typeof RANGES)[number]>(() => RANGES.find((r) => strength(r) > 0) ?? "shadows");
  const one = (name: ControlName, label: string) => (
    <Gauge
      facts={{ ...factsOfControl(name), label }}
      fullName={factsOfControl(name).label}
      value={pass.controls[name] as number}
      neutral={NEUTRAL_CONTROLS[name] as number}
      signed={factsOfControl(name).low < 0}
      band={factsOfControl(name).kind === "hue" ? <HueBand /> : undefined}
      onDraft={(v) => draft(name, v)}
      onSet={(v) => set(name, v)}
      onReset={() => set(name, NEUTRAL_CONTROLS[name])}
      onCancel={useBench.getState().cancel}
    />
  );
  return (
    <section aria-label="Toning of the pass" className="pt-1">
      <div className="flex h-6 items-center justify-between px-3.5">
        <span className="text-sm">Toning</span>
        <Choices
          label="Range that the pass tones"
          value={range}
          options={RANGES.map((r) => [r, strength(r) > 0 ? `${r} \u2022` : r] as const)}
          onChange={setRange}
        />
      </div>
      {one(`toning_${range}_hue`, "Hue")}
      {one(`toning_${range}`, "Strength")}
      {one("toning_balance", "Balance")}
    </section>
  );
}
