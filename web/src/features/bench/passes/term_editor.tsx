import type { Frame } from "../../../api/client";
import { type Pass, TERM_FACTS, type Term } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { type StrokeTones, saveAs, usePasses, withTerm } from "../../../state/passes";
import { Gauge } from "../../../ui/gauge";
import { BRUSH } from "../drawing/brush_facts";
import { PenChoice } from "../drawing/pen";

/** Gauges and numbers of one part of an area. */
export function TermEditor({ frame, pass, term }: { frame: Frame; pass: Pass; term: Term }) {
  const { edit, cancel } = useBench.getState();
  const put = (name: string, value: number) => (r: Parameters<typeof withTerm>[0]) =>
    withTerm(r, pass.id, term.id, (t) => ({ ...t, [name]: value }) as Term);
  if (term.kind === "brush") return <BrushEditor pass={pass} term={term} />;
  const long = Math.max(frame.width, frame.height);
  const places: [string, string][] =
    term.kind === "band"
      ? [
          ["x0", "full at, across"],
          ["y0", "full at, down"],
          ["x1", "none at, across"],
          ["y1", "none at, down"],
        ]
      : term.kind === "ring"
        ? [
            ["x", "middle, across"],
            ["y", "middle, down"],
            ["radius_x", "half width"],
            ["radius_y", "half height"],
          ]
        : [];
  const value = (name: string) => Number(Object.entries(term).find(([key]) => key === name)?.[1]);
  return (
    <div className="-mx-1.5">
      {Object.entries(TERM_FACTS[term.kind]).map(([name, f]) => (
        <Gauge
          key={name}
          facts={f}
          value={value(name)}
          neutral={f.neutral}
          signed={f.low < 0}
          onDraft={(v) => edit(put(name, v))}
          onSet={(v) => saveAs(`${term.id} ${name}`, put(name, v))}
          onReset={() => saveAs(`${term.id} ${name}`, put(name, f.neutral))}
          onCancel={cancel}
        />
      ))}
      {places.length > 0 && (
        <details className="px-3.5 text-xs text-ink2">
          <summary className="cursor-default">in numbers, pixels of the frame</summary>
          <div className="grid grid-cols-2 gap-x-3">
            {places.map(([name, label]) => (
              <label key={name} className="flex items-center justify-between">
                {label}
                <input
                  type="number"
                  step={10}
                  value={Math.round(value(name) * long)}
                  onKeyDown={(e) => e.stopPropagation()}
                  onChange={(e) => {
                    const v = Number(e.currentTarget.value) / long;
                    const least = name.startsWith("radius") ? 0.001 : -2;
                    if (Number.isFinite(v)) saveAs(`${term.id} ${name}`, put(name, Math.max(v, least)));
                  }}
                  className="h-6 w-16 rounded-[2px] border border-rule bg-white px-1 text-right text-ink"
                />
              </label>
            ))}
          </div>
        </details>
      )}
      {(term.kind === "band" || term.kind === "ring") && (
        <p className="px-3.5 pt-0.5 text-xs text-ink2">Drag its handles, or draw it anew on the picture.</p>
      )}
      {(term.kind === "tone" || term.kind === "depth" || term.kind === "colour" || term.kind === "near") && (
        <p className="px-3.5 pt-0.5 text-xs text-ink2">Press on the picture to take it from there.</p>
      )}
    </div>
  );
}

const BRUSH_START = { size: 6, hardness: 40, flow: 100 } as const;

function BrushEditor({ pass, term }: { pass: Pass; term: Extract<Term, { kind: "brush" }> }) {
  const brush = usePasses((s) => s.brush);
  const { setBrush } = usePasses.getState();
  const box = (name: "erase" | "buildUp" | "nearEdges", label: string, help: string) => (
    <label className="flex h-6 items-center gap-1" title={help}>
      <input type="checkbox" checked={brush[name]} onChange={(e) => setBrush({ [name]: e.currentTarget.checked })} />
      {label}
    </label>
  );
  const last = term.strokes.at(-1);
  return (
    <div className="-mx-1.5">
      {BRUSH.map(([name, f]) => (
        <Gauge
          key={name}
          facts={f}
          value={brush[name]}
          neutral={f.low}
          onDraft={(v) => setBrush({ [name]: v })}
          onSet={(v) => setBrush({ [name]: v })}
          onReset={() => setBrush({ [name]: BRUSH_START[name] })}
          onCancel={() => {}}
        />
      ))}
      <div className="flex flex-wrap items-center gap-x-3 px-3.5 pt-1 text-xs">
        {box("erase", "rub out", "The brush takes away (E)")}
        {box("buildUp", "build up", "Going over a place again within a stroke lays on more")}
        <label
          className="flex h-6 items-center gap-1"
          title="Only dark, middle or light places of the frame as it came in"
        >
          on
          <select
            value={brush.tones}
            aria-label="Tones that the brush acts on"
            onChange={(e) => setBrush({ tones: e.currentTarget.value as StrokeTones })}
            className="h-6 rounded-[2px] border border-rule bg-sheet px-1"
          >
            <option value="all">every tone</option>
            <option value="shadows">shadows</option>
            <option value="midtones">midtones</option>
            <option value="highlights">highlights</option>
          </select>
        </label>
        <PenChoice value={brush.pen} onChange={(pen) => setBrush({ pen })} />
        {box("nearEdges", "keep to what it touches", "Only what looks like the places its middle goes over")}
        {last && (
          <button
            type="button"
            className="underline"
            onClick={() =>
              saveAs("", (r) =>
                withTerm(r, pass.id, term.id, (t) =>
                  t.kind === "brush" ? { ...t, strokes: t.strokes.filter((s) => s.id !== last.id) } : t,
                ),
              )
            }
          >
            take the last stroke back
          </button>
        )}
      </div>
    </div>
  );
}
