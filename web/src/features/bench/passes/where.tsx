import { X } from "lucide-react";
import { useState } from "react";
import { api, type Frame, need } from "../../../api/client";
import { FOUND_KINDS, NEUTRAL_CONTROLS, type Pass, type Recipe, type Term } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain, useNotices } from "../../../state/notices";
import {
  brushFor,
  passesOf,
  saveAs,
  type Tool,
  takeControls,
  usePasses,
  withArea,
  withNewTerm,
  withPass,
  withTerm,
} from "../../../state/passes";
import { useRoute } from "../../../state/route";
import { inTurn } from "../../../state/turns";
import { Hint } from "../../../ui/controls";
import { clamp } from "../../../ui/number";
import { NumberField } from "../../../ui/number_field";
import { makeAgain } from "../../contact_sheet/merging";
import { TermEditor } from "./term_editor";
import { foundWord, joinWord, termAside, termWord } from "./words";

type Found = Extract<Term, { kind: "found" }>;

const CHIP = "inline-flex h-6 items-center gap-1 rounded-[3px] border px-1.5 text-[12px] font-medium";

/** Where a pass acts, as a sentence: its parts can be pressed, weakened, turned round, struck out. */
export function Where({ frame, pass }: { frame: Frame; pass: Pass }) {
  const term = usePasses((s) => s.term);
  const show = useBench((s) => s.show);
  const { area } = pass;
  const current = area.terms.find((t) => t.id === term);
  return (
    <section aria-label="Where" className="border-t border-rule pt-1.5">
      <div className="flex h-6 items-center gap-2 px-3.5">
        <h3 className="text-sm font-semibold">Where</h3>
        <span className="grow" />
        <Hint text="The area as a film over the picture (A)">
          <button
            type="button"
            aria-pressed={show === "area"}
            onClick={() => useBench.setState({ show: show === "area" ? "picture" : "area" })}
            className={`h-6 min-w-6 text-xs ${show === "area" ? "font-semibold underline decoration-2 underline-offset-[5px]" : "text-ink2 hover:text-ink"}`}
          >
            film
          </button>
        </Hint>
        <Hint text="Hold H: the area alone in grey">
          <button
            type="button"
            aria-pressed={show === "area_alone"}
            onClick={() => useBench.setState({ show: show === "area_alone" ? "picture" : "area_alone" })}
            className={`h-6 min-w-6 text-xs ${show === "area_alone" ? "font-semibold underline decoration-2 underline-offset-[5px]" : "text-ink2 hover:text-ink"}`}
          >
            alone
          </button>
        </Hint>
        <Hint text="A line round the area, over the picture as it is">
          <button
            type="button"
            aria-pressed={show === "area_outline"}
            onClick={() => useBench.setState({ show: show === "area_outline" ? "picture" : "area_outline" })}
            className={`h-6 min-w-6 text-xs ${show === "area_outline" ? "font-semibold underline decoration-2 underline-offset-[5px]" : "text-ink2 hover:text-ink"}`}
          >
            outline
          </button>
        </Hint>
        <Hint text="Everything but this">
          <button
            type="button"
            aria-pressed={area.inverted}
            onClick={() => saveAs("", (r) => withArea(r, pass.id, (a) => ({ ...a, inverted: !a.inverted })))}
            className={`h-6 min-w-6 text-xs ${area.inverted ? "font-semibold underline decoration-2 underline-offset-[5px]" : "text-ink2 hover:text-ink"}`}
          >
            turn round
          </button>
        </Hint>
      </div>
      <p className="flex flex-wrap items-center gap-x-1.5 gap-y-1 px-3.5 pb-1.5 text-xs">
        {area.inverted && <span className="text-ink2">everything but</span>}
        {area.terms.length === 0 && <span>the whole picture</span>}
        {area.terms.map((t, i) => (
          <span key={t.id} className="contents">
            {joinWord(t, i === 0) && <span className="text-ink2">{joinWord(t, i === 0)}</span>}
            <button
              type="button"
              aria-pressed={t.id === term}
              onClick={() => chooseTerm(t.id === term ? null : t, pass)}
              className={`${CHIP} bg-white ${t.id === term ? "border-ink shadow-[inset_0_0_0_1px_#161616]" : "border-rule hover:border-ink"}`}
            >
              {t.inverted && <span className="text-ink2">not</span>}
              {termWord(t)}
              {termAside(t, frame.depth_map) && (
                <span className="text-[11px] font-normal text-ink2">{termAside(t, frame.depth_map)}</span>
              )}
            </button>
          </span>
        ))}
      </p>
      {current && (
        <div className="mx-3.5 mb-1.5 border border-ink bg-paper py-1">
          <div className="flex items-center gap-2 px-2 text-xs">
            <select
              aria-label={`How ${termWord(current)} joins`}
              value={current.join}
              onChange={(e) => {
                const join = e.currentTarget.value as Term["join"];
                saveAs("", (r) => withTerm(r, pass.id, current.id, (t) => ({ ...t, join })));
              }}
              className="h-6 rounded-[2px] border border-rule bg-sheet px-1"
            >
              <option value="add">and also</option>
              <option value="without">without</option>
              <option value="only">only where</option>
            </select>
            <label className="flex items-center gap-1">
              <input
                type="checkbox"
                checked={current.inverted}
                onChange={(e) => {
                  const inverted = e.currentTarget.checked;
                  saveAs("", (r) => withTerm(r, pass.id, current.id, (t) => ({ ...t, inverted })));
                }}
              />
              not
            </label>
            <span className="flex items-center">
              <NumberField
                label={`Weight of ${termWord(current)}, percent`}
                className="w-9"
                text={current.strength.toFixed(0)}
                onSet={(v) =>
                  saveAs(`weight ${current.id}`, (r) =>
                    withTerm(r, pass.id, current.id, (t) => ({ ...t, strength: clamp(v, 0, 100) })),
                  )
                }
              />
              %
            </span>
            <span className="grow" />
            <button
              type="button"
              aria-label={`Strike ${termWord(current)} out`}
              title="Strike out"
              onClick={() => {
                usePasses.setState({ tool: "none", term: null });
                saveAs("", (r) => withTerm(r, pass.id, current.id, () => null));
              }}
              className="text-ink2 hover:text-ink"
            >
              <X size={15} aria-hidden />
            </button>
          </div>
          <TermEditor frame={frame} pass={pass} term={current} />
        </div>
      )}
      <NewTerms frame={frame} pass={pass} />
      <Edge pass={pass} />
    </section>
  );
}

const TOOL_OF: Partial<Record<Term["kind"], Tool>> = {
  brush: "brush",
  band: "band",
  ring: "ring",
  tone: "tone",
  depth: "depth",
  colour: "colour",
  near: "near",
};

/** Takes a part of a pass's area into the hand, with the brush that it is painted with; null puts it down. */
export function chooseTerm(term: Term | null, pass: Pass): void {
  const { work, brush, setBrush } = usePasses.getState();
  if (term?.kind === "brush") setBrush(brushFor(term, pass, brush));
  if (term) work(TOOL_OF[term.kind] ?? "none", term.id);
  else usePasses.setState({ tool: "none", term: null });
}

const COMMON = { join: "add", strength: 100, inverted: false } as const;
const DRAWN: [string, (id: string, frame: Frame) => Term][] = [
  ["brush", (id) => ({ ...COMMON, id, kind: "brush", strokes: [] })],
  [
    "band",
    (id, f) => {
      const [w, h] = sides(f);
      return { ...COMMON, id, kind: "band", x0: w / 2, y0: h * 0.1, x1: w / 2, y1: h * 0.55 };
    },
  ],
  [
    "ring",
    (id, f) => {
      const [w, h] = sides(f);
      const radius = Math.min(w, h) * 0.28;
      return {
        ...COMMON,
        id,
        kind: "ring",
        x: w / 2,
        y: h / 2,
        radius_x: radius * 1.2,
        radius_y: radius,
        angle: 0,
        softness: 50,
      };
    },
  ],
  ["tone", (id) => ({ ...COMMON, id, kind: "tone", low: 60, high: 100, softness: 12 })],
  ["depth", (id) => ({ ...COMMON, id, kind: "depth", low: 0, high: 40, softness: 10 })],
  ["edges", (id) => ({ ...COMMON, id, kind: "edges", threshold: 20, width_px: 6 })],
];

/** Sides of a frame in long edges. */
const sides = (f: Frame): [number, number] => {
  const long = Math.max(f.width, f.height);
  return [f.width / long, f.height / long];
};

function NewTerms({ frame, pass }: { frame: Frame; pass: Pass }) {
  const tool = usePasses((s) => s.tool);
  const term = usePasses((s) => s.term);
  const [busy, setBusy] = useState("");
  const route = useRoute();
  /** Masters of older days have none. */
  const noMap = () => {
    const words = `${frame.name} was made before depth maps were kept. Made again, it has one.`;
    const again = route.place === "bench" ? () => void makeAgain(route.shoot, frame) : null;
    useNotices.getState().say(words, true, again ? { words: "Make it again", run: again } : undefined);
  };
  const add = (fresh: Term) => {
    saveAs("", (r) => withNewTerm(r, pass.id, fresh));
    chooseTerm(fresh, pass);
  };
  const look = (what: Found["what"]) => {
    const { save } = useBench.getState().forThis();
    setBusy(what);
    // an undo that is pressed meanwhile waits, and takes back what is found
    return inTurn(() => found(what, save));
  };
  const found = async (what: Found["what"], save: (change: (recipe: Recipe) => Recipe) => void) => {
    try {
      const found = await need(
        api.POST("/api/frames/{id}/find", { params: { path: { id: frame.id } }, body: { what } }),
      );
      const fresh: Term = { ...COMMON, id: newItemId(), kind: "found", what, sure: found.sure, raster: found.raster };
      save((r) => {
        const added = withNewTerm(r, pass.id, fresh);
        // blotches of skin are as large as the face makes them
        const size = found.blotch_percent;
        const now = passesOf(r).find((p) => p.id === pass.id);
        if (size === null || now?.controls.forms_percent !== NEUTRAL_CONTROLS.forms_percent) return added;
        return withPass(added, pass.id, (p) => ({ ...p, controls: { ...p.controls, forms_percent: size } }));
      });
      if (what === "skin") takeControls(pass.id, "even_colour"); // what skin is mostly found for
      if (useBench.getState().openPass === pass.id) usePasses.getState().work("none", fresh.id);
    } catch (error) {
      complain(error);
    }
    setBusy("");
  };
  const look_ = `${CHIP} border-rule bg-sheet hover:border-ink`;
  return (
    <fieldset aria-label="New part of the area" className="m-0 flex min-w-0 border-0 flex-wrap gap-1 px-3.5 pb-1.5">
      {DRAWN.slice(0, 4).map(([name, make]) => (
        <button key={name} type="button" className={look_} onClick={() => add(make(newItemId(), frame))}>
          {name}
        </button>
      ))}
      {(["colour", "near"] as const).map((kind) => (
        <button
          key={kind}
          type="button"
          aria-pressed={tool === kind && term === null}
          className={`${look_} ${tool === kind && term === null ? "!border-ink shadow-[inset_0_0_0_1px_#161616]" : ""}`}
          onClick={() => usePasses.getState().work(tool === kind && term === null ? "none" : kind, null)}
        >
          {kind === "near" ? "near here" : kind}
        </button>
      ))}
      {DRAWN.slice(frame.depth_map || frame.made === "focus" ? 4 : 5).map(([name, make]) => (
        <button
          key={name}
          type="button"
          className={look_}
          onClick={() => (name === "depth" && !frame.depth_map ? noMap() : add(make(newItemId(), frame)))}
        >
          {name}
        </button>
      ))}
      <span className="w-1" />
      {FOUND_KINDS.map((what) => (
        <button key={what} type="button" className={look_} disabled={busy !== ""} onClick={() => void look(what)}>
          {busy === what ? "looking ..." : foundWord(what)}
        </button>
      ))}
      {(tool === "colour" || tool === "near") && term === null && (
        <p className="w-full pt-0.5 text-xs text-ink2">
          {tool === "colour" ? "Press on a colour in the picture." : "Press on the place in the picture."} Esc leaves.
        </p>
      )}
    </fieldset>
  );
}

/** What is done to the edge of the whole area. */
function Edge({ pass }: { pass: Pass }) {
  const fields = [
    ["grow_px", "grow", "px", -200, 200, "Larger, or smaller below zero, in pixels of the full picture"],
    ["soften_px", "soften", "px", 0, 400, "Over how far its edge runs out, in pixels of the full picture"],
    ["cling", "cling to edges", "%", 0, 100, "How far its edge is drawn to edges in the picture"],
    [
      "close_px",
      "close gaps",
      "px",
      0,
      200,
      "Gaps and holes up to this width are closed, in pixels of the full picture",
    ],
    [
      "smooth_px",
      "smooth",
      "px",
      0,
      200,
      "Teeth and crumbs of its outline of this size go, in pixels of the full picture",
    ],
  ] as const;
  return (
    <div className="grid grid-cols-2 gap-x-5 px-3.5 pb-1 text-xs text-ink2">
      {fields.map(([name, label, unit, low, high, help]) => (
        <span key={name} className="flex h-6 items-center whitespace-nowrap" title={help}>
          <span className="grow">{label}</span>
          <NumberField
            label={`${label}, ${unit}`}
            className="w-8 !px-0.5 text-ink"
            text={pass.area[name].toFixed(0)}
            onSet={(v) =>
              saveAs(`${pass.id} ${name}`, (r) => withArea(r, pass.id, (a) => ({ ...a, [name]: clamp(v, low, high) })))
            }
            onStep={(n, typed) =>
              saveAs(`${pass.id} ${name}`, (r) =>
                withArea(r, pass.id, (a) => ({ ...a, [name]: clamp((typed ?? a[name]) + n, low, high) })),
              )
            }
          />
          <span className="w-4">{unit}</span>
        </span>
      ))}
    </div>
  );
}
