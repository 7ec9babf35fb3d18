import type { Frame } from "../../api/client";
import { MERGE_FACTS } from "../../api/generated/recipe";
import type { BracketOptions, Judged } from "./judgement";
import { ChoiceRow, NumberRow, SwitchRow } from "./option_rows";
import { stem } from "./stem";

interface Props {
  options: BracketOptions;
  frames: readonly Frame[];
  judged: Judged | null;
  set: (change: Partial<BracketOptions>) => void;
  onRegion: (number: number | null) => void;
}

/** What a bracket may be told. */
export function BracketRows({ options, frames, judged, set, onRegion }: Props) {
  const taking = (i: number) => judged?.frames[i]?.takes_part ?? true;
  return (
    <>
      <NumberRow facts={MERGE_FACTS.bracket.ghosts} value={options.ghosts} onSet={(value) => set({ ghosts: value })} />
      {judged?.regions?.map((r) => (
        <ChoiceRow
          key={r.number}
          id={`region-${r.number}`}
          label={`movement ${r.number} from`}
          value={String(r.base)}
          onPoint={(on) => onRegion(on ? r.number : null)}
          onChoose={(value) => set({ base: { ...options.base, [r.number]: Number(value) } })}
        >
          {frames.map(
            (f, i) =>
              taking(i) && (
                <option key={f.id} value={i}>
                  {stem(f)}
                </option>
              ),
          )}
        </ChoiceRow>
      ))}
      <ChoiceRow
        label="reference"
        value={options.reference === null || options.reference === undefined ? "" : String(options.reference)}
        onChoose={(value) => set({ reference: value === "" ? null : Number(value) })}
      >
        <option value="">chosen by itself</option>
        {frames.map((f, i) => (
          <option key={f.id} value={i} disabled={!taking(i)}>
            {stem(f)}
          </option>
        ))}
      </ChoiceRow>
      <NumberRow facts={MERGE_FACTS.bracket.noise} value={options.noise} onSet={(value) => set({ noise: value })} />
      <SwitchRow
        label="lay frames from the hand on each other"
        on={options.align ?? true}
        onSet={(on) => set({ align: on })}
      />
    </>
  );
}
