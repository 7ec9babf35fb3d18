import type { GaugeFacts } from "../../ui/gauge";
import type { Judged, PanoramaOptions } from "./judgement";
import { ChoiceRow, NumberRow, SwitchRow } from "./option_rows";

const degrees = (label: string, help: string, most: number): GaugeFacts => ({
  label,
  unit: "\u00b0",
  help,
  low: -most,
  high: most,
  step: 0.1,
  decimals: 1,
  scale: "middle",
});
const HORIZON = degrees(
  "Horizon",
  "How far up the view looks: a horizon that bulges becomes straight. The picture can be dragged as well.",
  90,
);
const LEAN = degrees("Lean", "Turns the horizon.", 45);
const MIDDLE = degrees("Middle", "Which way the middle of the picture looks.", 180);
const RECTANGLE: GaugeFacts = {
  label: "Bend to a rectangle",
  unit: "%",
  help: "Bends the outline so that less has to be cut off. Straight lines stay as straight as they can.",
  low: 0,
  high: 100,
  step: 5,
  decimals: 0,
  scale: "linear",
};
const WORDS = {
  flat: "flat: lines stay straight",
  straightened: "straightened: wide, uprights straight",
  cylinder: "cylinder: up to a whole turn",
  sphere: "sphere: high and wide",
};

interface Props {
  options: PanoramaOptions;
  judged: Judged | null;
  set: (change: Partial<PanoramaOptions>) => void;
}

/** What a panorama may be told. */
export function PanoramaRows({ options, judged, set }: Props) {
  const found = judged?.projection as keyof typeof WORDS | undefined;
  return (
    <>
      <ChoiceRow label="laid out" value={options.projection ?? "auto"} onChoose={(projection) => set({ projection })}>
        <option value="auto">{`by its width${options.projection === "auto" && found ? ` (${found})` : ""}`}</option>
        {Object.entries(WORDS).map(([kind, words]) => (
          <option key={kind} value={kind}>
            {words}
          </option>
        ))}
      </ChoiceRow>
      <NumberRow
        facts={HORIZON}
        value={options.pitch_degrees ?? 0}
        neutral={0}
        signed
        onSet={(pitch_degrees) => set({ pitch_degrees })}
      />
      <NumberRow
        facts={LEAN}
        value={options.roll_degrees ?? 0}
        neutral={0}
        signed
        onSet={(roll_degrees) => set({ roll_degrees })}
      />
      <NumberRow
        facts={MIDDLE}
        value={options.yaw_degrees ?? 0}
        neutral={0}
        signed
        onSet={(yaw_degrees) => set({ yaw_degrees })}
      />
      <NumberRow
        facts={RECTANGLE}
        value={options.rectangle ?? 0}
        neutral={0}
        onSet={(rectangle) => set({ rectangle })}
      />
      <SwitchRow label="cut to what is covered" on={options.cut ?? true} onSet={(cut) => set({ cut })} />
      <SwitchRow label="make light and fall-off alike" on={options.even ?? true} onSet={(even) => set({ even })} />
      <SwitchRow
        label="merge the exposures of each place first"
        on={options.brackets ?? true}
        onSet={(brackets) => set({ brackets })}
      />
      <SwitchRow label="use the lens's profile" on={options.profile ?? true} onSet={(profile) => set({ profile })} />
    </>
  );
}
