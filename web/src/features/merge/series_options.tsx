import type { Frame } from "../../api/client";
import { MERGE_FACTS } from "../../api/generated/recipe";
import type { Judged, SeriesOptions } from "./judgement";
import { ChoiceRow, NumberRow, SwitchRow } from "./option_rows";
import { stem } from "./stem";

interface Props {
  options: SeriesOptions;
  frames: readonly Frame[];
  judged: Judged | null;
  set: (change: Partial<SeriesOptions>) => void;
}

/** What a series may be told. */
export function SeriesRows({ options, frames, judged, set }: Props) {
  const found = judged?.aligned_by;
  return (
    <>
      <ChoiceRow label="combined by" value={options.method ?? "clip"} onChoose={(method) => set({ method })}>
        <option value="clip">mean of what agrees</option>
        <option value="median">median</option>
        <option value="mean">mean of all</option>
      </ChoiceRow>
      {(options.method ?? "clip") === "clip" && (
        <NumberRow
          facts={MERGE_FACTS.series.deviations}
          value={options.deviations}
          onSet={(deviations) => set({ deviations })}
        />
      )}
      <ChoiceRow label="laid by" value={options.align ?? "auto"} onChoose={(align) => set({ align })}>
        <option value="auto">{`what is found${options.align === "auto" && found ? ` (${found})` : ""}`}</option>
        <option value="stars">stars</option>
        <option value="features">what they show</option>
        <option value="none">nothing: as they were taken</option>
      </ChoiceRow>
      <ChoiceRow
        label="reference"
        value={options.reference === null || options.reference === undefined ? "" : String(options.reference)}
        onChoose={(value) => set({ reference: value === "" ? null : Number(value) })}
      >
        <option value="">chosen by itself</option>
        {frames.map((f, i) => (
          <option key={f.id} value={i} disabled={judged ? judged.frames[i]?.role !== "light" : false}>
            {stem(f)}
          </option>
        ))}
      </ChoiceRow>
      <SwitchRow
        label="the land stays still"
        on={options.still_land ?? false}
        onSet={(on) => set({ still_land: on })}
      />
      <SwitchRow label="make the skies alike" on={options.even_sky ?? true} onSet={(on) => set({ even_sky: on })} />
    </>
  );
}
