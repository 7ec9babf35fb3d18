import { FlipHorizontal, RotateCcw, RotateCw } from "lucide-react";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { useNotices } from "../../../state/notices";
import { Button, Hint } from "../../../ui/controls";
import { act, factsSettled, type PlaneLine, sendLines, useFraming } from "../framing/framing_state";
import { Control, controlValue, factsOf, isTouched, neutralOf, Part, type StepProps, withControls } from "./control";
import { Crop } from "./crop";
import { Lens } from "./lens";
import { controlsOf, others } from "./places";
import { Proposals } from "./proposals";

const NO_LINES: PlaneLine[] = [];
const MOVEMENTS = controlsOf("framing", "movements").filter((name) => factsOf("framing", name)?.kind === "gauge");
const OTHERS = others("framing", ["movements", "lens", "quarter_turn", "mirror", "angle", "reach_beyond", "beyond"]);

/** What is level and plumb, how the camera stood, what the lens did, and where the picture ends. */
export function Framing({ frame, recipe }: StepProps) {
  const tool = useFraming((s) => s.tool);
  const touched = (names: readonly string[]) => isTouched(recipe, "framing", frame.raw, names);
  const take = (next: typeof tool) => useFraming.setState({ tool: tool === next ? "crop" : next, points: [] });
  // drawn lines set the angle together with the movements, so it goes back with them
  const byLines = recipe.framing.drawn_lines.length > 0 ? ["angle"] : [];
  const reset = (names: readonly string[]) => {
    const neutral = neutralOf(frame.raw);
    const values = Object.fromEntries(names.map((n) => [n, controlValue(neutral, "framing", n)]));
    useBench.getState().save((r) => withControls(r, "framing", values));
  };
  return (
    <>
      <div className="flex gap-1.5 px-3.5 pb-1.5 pt-1">
        <Hint text="A quarter turn to the left">
          <Button aria-label="Turn left" onClick={() => void act(frame.id, { do: "turn_left" })}>
            <RotateCcw size={14} aria-hidden />
          </Button>
        </Hint>
        <Hint text="A quarter turn to the right">
          <Button aria-label="Turn right" onClick={() => void act(frame.id, { do: "turn_right" })}>
            <RotateCw size={14} aria-hidden />
          </Button>
        </Hint>
        <Hint text="Left and right change places">
          <Button
            aria-label="Mirror"
            pressed={recipe.framing.mirror}
            onClick={() => void act(frame.id, { do: "mirror" })}
          >
            <FlipHorizontal size={14} aria-hidden />
          </Button>
        </Hint>
        <span className="grow" />
        <Hint text="Draw one line along something that is level or plumb">
          <Button pressed={tool === "line"} onClick={() => take("line")}>
            Straighten by a line
          </Button>
        </Hint>
      </div>
      <Control frame={frame} recipe={recipe} step="framing" name="angle" />
      {OTHERS.map((name) => (
        <Control key={name} frame={frame} recipe={recipe} step="framing" name={name} />
      ))}
      <Proposals frame={frame} recipe={recipe} of="framing" />
      <Crop frame={frame} recipe={recipe} />
      <Part
        title="Movements"
        touched={touched([...MOVEMENTS, "drawn_lines"])}
        folded
        aside={
          <Button quiet className="!h-6 !px-1" onClick={() => reset([...MOVEMENTS, "drawn_lines", ...byLines])}>
            Reset
          </Button>
        }
      >
        {MOVEMENTS.map((name) => (
          <Control key={name} frame={frame} recipe={recipe} step="framing" name={name} />
        ))}
        <div className="px-3.5 pt-1.5">
          <Button pressed={tool === "lines"} onClick={() => take("lines")}>
            Draw lines
          </Button>
          <DrawnLines frame={frame} recipe={recipe} />
        </div>
      </Part>
      <Part
        title="Corners"
        touched={touched(["corners"])}
        folded
        aside={
          <Button quiet className="!h-6 !px-1" onClick={() => reset(["corners"])}>
            Reset
          </Button>
        }
      >
        <div className="px-3.5">
          <Button pressed={tool === "corners"} onClick={() => take("corners")}>
            Pull corners
          </Button>
          <p className="pt-1 text-xs text-ink2">
            {tool === "corners"
              ? "Pull a corner until what should be straight is. Arrow keys move the one in focus, Shift ten times as far."
              : "Each corner of the picture is pulled on its own."}
          </p>
        </div>
      </Part>
      <Lens frame={frame} recipe={recipe} />
    </>
  );
}

/** The lines that were drawn, with what each stands for. */
function DrawnLines({ frame, recipe }: StepProps) {
  const tool = useFraming((s) => s.tool);
  const found = useBench((s) => s.header?.framing?.lines) ?? NO_LINES;
  const lines = useFraming((s) => s.lines?.what) ?? found;
  const known = useBench((s) => s.header?.framing?.focal_known);
  const send = (next: PlaneLine[]) => sendLines(frame.id, next);
  const none = recipe.framing.drawn_lines.length === 0;
  const words =
    tool === "lines"
      ? "Draw two to four lines along what is level or plumb. They are solved together and can be moved later."
      : known === false
        ? "The file names no focal length: 35 mm is assumed. Stretch corrects the proportions."
        : "Lines along what is level or plumb set the movements.";
  return (
    <>
      {none && <p className="pt-1 text-xs text-ink2">{words}</p>}
      {tool === "lines" && lines.length < 4 && <AddLine onAdd={send} />}
      <ul className="pt-1.5 text-sm" aria-label="Drawn lines">
        {lines.map((line, i) => (
          <li key={line.id} className="flex h-7 items-center gap-2">
            <span className="w-12">Line {i + 1}</span>
            <Button
              quiet
              className="!h-6 !px-1"
              title="Changes between level and plumb"
              onClick={() =>
                send(
                  lines.map((l) => (l.id === line.id ? { ...l, along: l.along === "level" ? "plumb" : "level" } : l)),
                )
              }
            >
              {line.along}
            </Button>
            <span className="grow" />
            <Button
              quiet
              className="!h-6 !px-1"
              aria-label={`Remove line ${i + 1}`}
              onClick={() => send(lines.filter((l) => l.id !== line.id))}
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
    </>
  );
}

/** A line without a pointer: it comes in where it changes nothing, and its ends are moved by arrow keys. */
function AddLine({ onAdd }: { onAdd: (next: PlaneLine[]) => void }) {
  const add = async (along: PlaneLine["along"]) => {
    // in the picture as it is after everything pressed before, which may still be on its way
    const facts = await factsSettled();
    const header = useBench.getState().header;
    if (!facts || !header) return useNotices.getState().say("The picture has not come yet; try again when it has.");
    const { full_width: width, full_height: height } = header;
    const at = (x: number, y: number): [number, number] => [facts.left + x * width, facts.top + y * height];
    const same = facts.lines.filter((l) => l.along === along).length;
    const place = [0.2, 0.8, 0.4, 0.6][same] ?? 0.5;
    const [start, end] = along === "plumb" ? [at(place, 0.25), at(place, 0.75)] : [at(0.25, place), at(0.75, place)];
    onAdd([...facts.lines, { id: newItemId(), along, start, end }]);
  };
  return (
    <p className="flex items-center gap-1 pt-1 text-xs text-ink2">
      Without drawing:
      {(["plumb", "level"] as const).map((along) => (
        <Button key={along} quiet className="!h-6 !px-1" onClick={() => void add(along)}>
          + {along} line
        </Button>
      ))}
    </p>
  );
}
