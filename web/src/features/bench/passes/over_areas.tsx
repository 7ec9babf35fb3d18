import { api, type Frame, need } from "../../../api/client";
import type { Term } from "../../../api/generated/recipe";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain } from "../../../state/notices";
import { passesOf, type Tool, usePasses, withNewTerm, withPass, withTerm } from "../../../state/passes";
import { whenAnswered } from "../../../state/turns";
import { OverPicture } from "../drawing/on_screen";
import { AreaBrush } from "./area_brush";
import { PickLayer } from "./pick_layer";
import { ShapeLayer } from "./shape_layer";

/** Tools of the pull sheet over the picture. They stand aside while no part of an area is in the hand. */
export function OverAreas({ frame }: { frame: Frame }) {
  const pass = useBench((s) => s.openPass);
  const tool = usePasses((s) => s.tool);
  const termId = usePasses((s) => s.term);
  const draft = useBench((s) => s.draft);
  const term = passesOf(draft)
    .find((p) => p.id === pass)
    ?.area.terms.find((t) => t.id === termId);
  return (
    <OverPicture frame={frame} working={pass !== null && tool !== "none"}>
      {(screen) => (
        <>
          {pass && tool === "brush" && term?.kind === "brush" && (
            <AreaBrush key={term.id} screen={screen} pass={pass} term={term} />
          )}
          {pass && (tool === "band" || tool === "ring") && (term?.kind === "band" || term?.kind === "ring") && (
            <ShapeLayer key={term.id} screen={screen} pass={pass} term={term} />
          )}
          {pass && isPicking(tool) && (
            <PickLayer key={tool} screen={screen} onPick={(x, y) => pick(frame, pass, tool, term ?? null, x, y)} />
          )}
        </>
      )}
    </OverPicture>
  );
}

const PICKING = ["tone", "depth", "colour", "near", "shine"] as const;
type Picking = (typeof PICKING)[number];
const isPicking = (tool: Tool): tool is Picking => PICKING.some((p) => p === tool);

/** Takes a tone, a depth, a colour or a place from the picture into a part of the area, or makes one of it; or the tone of shine. */
function pick(frame: Frame, pass: string, kind: Picking, term: Term | null, x: number, y: number): Promise<void> {
  const { draft, forThis } = useBench.getState();
  if (!draft) return Promise.resolve();
  const here = forThis();
  const body = { recipe: { ...draft, passes: { passes: [] } }, x, y };
  const asked = need(api.POST("/api/frames/{id}/look", { params: { path: { id: frame.id } }, body }));
  return whenAnswered(asked, (seen) => {
    if (kind === "shine") {
      const shine_tone = seen.plate as [number, number, number];
      here.save((r) => withPass(r, pass, (p) => ({ ...p, controls: { ...p.controls, shine_tone } })));
      if (here.isOpen() && usePasses.getState().tool === "shine") usePasses.setState({ tool: "none" });
      return;
    }
    const about = (share: number) => ({
      low: Math.max(Math.round(100 * share) - 8, 0),
      high: Math.min(Math.round(100 * share) + 8, 100),
    });
    const values = {
      tone: about(seen.lightness),
      depth: seen.depth === null ? {} : about(seen.depth),
      colour: { lightness: seen.lightness, a: seen.a, b: seen.b },
      near: { x: seen.x, y: seen.y },
    }[kind];
    if (term) {
      here.save((r) => withTerm(r, pass, term.id, (t) => ({ ...t, ...values }) as Term));
      return;
    }
    const common = { id: newItemId(), join: "add", strength: 100, inverted: false } as const;
    const fresh =
      kind === "colour"
        ? ({ ...common, kind, lightness: seen.lightness, a: seen.a, b: seen.b, reach: 30 } as const)
        : ({ ...common, kind: "near", x: seen.x, y: seen.y, tolerance: 30, reach: 25 } as const);
    here.save((r) => withNewTerm(r, pass, fresh));
    if (here.isOpen() && useBench.getState().openPass === pass) usePasses.getState().work(kind, fresh.id);
  }).catch(complain);
}
