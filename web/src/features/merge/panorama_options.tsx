import { MERGE_FACTS } from "../../api/generated/recipe";
import type { Judged, PanoramaOptions } from "./judgement";
import { ChoiceRow, NumberRow, SwitchRow } from "./option_rows";

const FACTS = MERGE_FACTS.panorama;
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
        <option value="auto">{`by width${options.projection === "auto" && found ? ` (${found})` : ""}`}</option>
        {Object.entries(WORDS).map(([kind, words]) => (
          <option key={kind} value={kind}>
            {words}
          </option>
        ))}
      </ChoiceRow>
      <NumberRow
        facts={FACTS.pitch_degrees}
        value={options.pitch_degrees}
        signed
        onSet={(pitch_degrees) => set({ pitch_degrees })}
      />
      <NumberRow
        facts={FACTS.roll_degrees}
        value={options.roll_degrees}
        signed
        onSet={(roll_degrees) => set({ roll_degrees })}
      />
      <NumberRow
        facts={FACTS.yaw_degrees}
        value={options.yaw_degrees}
        signed
        onSet={(yaw_degrees) => set({ yaw_degrees })}
      />
      <NumberRow facts={FACTS.rectangle} value={options.rectangle} onSet={(rectangle) => set({ rectangle })} />
      <SwitchRow label="cut to what is covered" on={options.cut ?? true} onSet={(cut) => set({ cut })} />
      <SwitchRow label="make light and fall-off alike" on={options.even ?? true} onSet={(even) => set({ even })} />
      <SwitchRow
        label="merge the exposures of each place first"
        on={options.brackets ?? true}
        onSet={(brackets) => set({ brackets })}
      />
      <SwitchRow
        label="bend near things to meet"
        on={options.near ?? true}
        help="Where the camera moved between frames. Off: frames are only turned."
        onSet={(near) => set({ near })}
      />
      <SwitchRow label="use the lens's profile" on={options.profile ?? true} onSet={(profile) => set({ profile })} />
    </>
  );
}
