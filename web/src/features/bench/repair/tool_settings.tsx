import { useRepairs } from "../../../state/repairs";
import { Hint } from "../../../ui/controls";
import { Gauge } from "../../../ui/gauge";
import { BRUSH, toolFacts } from "../drawing/brush_facts";
import { PenChoice } from "../drawing/pen";
import { Swatch } from "../drawing/swatch";

const BRUSH_START = { size: 1.5, hardness: 70, flow: 100 } as const;
const REACH = toolFacts(
  "Look around",
  25,
  400,
  5,
  "%",
  "How far about it is looked for what goes there, of its own size.",
);
const ANGLE = toolFacts("Turned by", -180, 180, 1, "\u00b0", "What is taken is turned by as much.");

const HELP = {
  spot: "Press on a spot, or draw over a hair. Where it is taken from is found by itself.",
  heal: "Alt+press picks where it comes from; without that it is found. Texture is taken, light stays.",
  clone: "Alt+press picks where it comes from, then paint.",
  patch: "Draw round it. Then drag the dotted ring to where it comes from.",
  removal: "Paint over what is to go, a little beyond it.",
  cover: "Alt+press picks the colour, then paint.",
} as const;

/** Settings of the tool in the hand. */
export function ToolSettings() {
  const s = useRepairs();
  const { tool, brush, setBrush } = s;
  if (tool === "none") return null;
  const painted = tool !== "patch";
  const takes = tool === "clone" || tool === "heal";
  const gauges = BRUSH.filter(([name]) => name !== "flow" || tool === "clone" || tool === "cover");
  const check = (label: string, help: string, on: boolean, set: (on: boolean) => void) => (
    <label className="flex h-6 items-center gap-1" title={help}>
      <input type="checkbox" checked={on} onChange={(e) => set(e.currentTarget.checked)} />
      {label}
    </label>
  );
  return (
    <section aria-label="Tool" className="border-t border-rule pb-1.5 pt-1.5">
      <p className="px-3.5 pb-1 text-xs text-ink2">{HELP[tool]}</p>
      {painted &&
        gauges
          .filter(([name]) => tool !== "removal" || name === "size")
          .map(([name, f]) => (
            <Gauge
              key={name}
              facts={f}
              value={brush[name]}
              neutral={BRUSH_START[name]}
              onDraft={(v) => setBrush({ [name]: v })}
              onSet={(v) => setBrush({ [name]: v })}
              onReset={() => setBrush({ [name]: BRUSH_START[name] })}
              onCancel={() => {}}
            />
          ))}
      {tool === "removal" && (
        <Gauge
          facts={REACH}
          value={s.reach}
          neutral={100}
          onDraft={(reach) => useRepairs.setState({ reach })}
          onSet={(reach) => useRepairs.setState({ reach })}
          onReset={() => useRepairs.setState({ reach: 100 })}
          onCancel={() => {}}
        />
      )}
      {takes && (
        <Gauge
          facts={ANGLE}
          value={s.angle}
          neutral={0}
          signed
          onDraft={(angle) => useRepairs.setState({ angle })}
          onSet={(angle) => useRepairs.setState({ angle })}
          onReset={() => useRepairs.setState({ angle: 0 })}
          onCancel={() => {}}
        />
      )}
      <div className="flex flex-wrap items-center gap-x-3 px-3.5 text-xs">
        {painted &&
          check("rub out", "Takes away from the open repair (E)", brush.erase, (erase) => setBrush({ erase }))}
        {painted && <PenChoice value={brush.pen} onChange={(pen) => setBrush({ pen })} />}
        {takes &&
          check(
            "go on",
            "Further strokes keep the way to where they come from; off, each begins at the picked place again",
            s.aligned,
            (aligned) => useRepairs.setState({ aligned, ...(aligned ? {} : { open: null }) }),
          )}
        {takes &&
          check("mirrored", "What is taken is seen in a mirror", s.mirrored, (mirrored) =>
            useRepairs.setState({ mirrored }),
          )}
        {tool === "cover" && <CoverColour />}
        {tool === "cover" &&
          check("with grain", "Lays the grain of the picked place over the colour; off, it is flat", s.grain, (grain) =>
            useRepairs.setState({ grain }),
          )}
      </div>
    </section>
  );
}

/** What a cover is painted with. */
function CoverColour() {
  const colour = useRepairs((s) => s.colour);
  return (
    <Hint text={colour ? "The picked colour" : "Hold Alt and press on the picture to pick it"}>
      <Swatch colour={colour} label={colour ? "Picked colour" : "No colour picked yet"} />
    </Hint>
  );
}
