import type { Frame } from "../../api/client";
import { Button } from "../../ui/controls";
import type { GaugeFacts } from "../../ui/gauge";
import type { FocusOptions, Judged } from "./judgement";
import { ChoiceRow, NumberRow, SwitchRow } from "./option_rows";
import { stem } from "./stem";

const BRUSH: GaugeFacts & { neutral: number } = {
  label: "Brush",
  unit: "%",
  help: "How wide a stroke is, in hundredths of the picture's width.",
  low: 0.5,
  high: 20,
  step: 0.5,
  decimals: 1,
  scale: "log",
  neutral: 4,
};

/** What strokes on the picture take: the frame, and how wide they are (shares of the picture's width). */
export interface Brush {
  frame: number | null;
  radius: number;
}

interface Props {
  options: FocusOptions;
  frames: readonly Frame[];
  judged: Judged | null;
  brush: Brush;
  setBrush: (brush: Brush) => void;
  set: (change: Partial<FocusOptions>) => void;
}

/** What a focus series may be told. */
export function FocusRows({ options, frames, judged, brush, setBrush, set }: Props) {
  const strokes = options.touches ?? [];
  return (
    <>
      <ChoiceRow
        label="paint from"
        value={brush.frame === null ? "" : String(brush.frame)}
        onChoose={(value) => setBrush({ ...brush, frame: value === "" ? null : Number(value) })}
      >
        <option value="">no frame</option>
        {frames.map((f, i) => (
          <option key={f.id} value={i} disabled={judged ? !judged.frames[i]?.takes_part : false}>
            {stem(f)}
          </option>
        ))}
      </ChoiceRow>
      {brush.frame !== null && (
        <NumberRow
          facts={BRUSH}
          value={brush.radius * 200}
          onSet={(width) => setBrush({ ...brush, radius: width / 200 })}
        />
      )}
      {strokes.length > 0 && (
        <p className="flex items-center gap-2 px-3.5 text-ink2">
          <span className="grow">{strokes.length === 1 ? "1 stroke" : `${strokes.length} strokes`}</span>
          <Button onClick={() => set({ touches: strokes.slice(0, -1) })}>Take back the last</Button>
        </p>
      )}
      <SwitchRow label="make up for size and movement" on={options.align ?? true} onSet={(on) => set({ align: on })} />
    </>
  );
}
