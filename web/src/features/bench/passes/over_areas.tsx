import { type RefObject, useEffect, useRef, useState } from "react";
import { api, type Frame, need } from "../../../api/client";
import type { Term } from "../../../api/generated/recipe";
import { type Placement, place, type Size } from "../../../canvas/viewport";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain } from "../../../state/notices";
import { passesOf, usePasses, withNewTerm, withTerm } from "../../../state/passes";
import { density } from "../picture_zoom";
import { BrushLayer } from "./brush_layer";
import { PickLayer } from "./pick_layer";
import { ShapeLayer } from "./shape_layer";

/** What every layer over the picture needs: where the picture lies, in CSS pixels. */
export interface OnScreen {
  frame: Frame;
  pass: string;
  /** Left, top and screen pixels per full-size picture pixel, in CSS pixels. */
  at: Placement;
  picture: Size;
}

/** Tools of the pull sheet over the picture. They stand aside while no part of an area is in the hand. */
export function OverAreas({ frame }: { frame: Frame }) {
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const pass = useBench((s) => s.openPass);
  const viewport = useBench((s) => s.viewport);
  const compare = useBench((s) => s.compare);
  const width = useBench((s) => s.header?.full_width ?? 0);
  const height = useBench((s) => s.header?.full_height ?? 0);
  const tool = usePasses((s) => s.tool);
  const termId = usePasses((s) => s.term);
  const draft = useBench((s) => s.draft);
  const term = passesOf(draft)
    .find((p) => p.id === pass)
    ?.area.terms.find((t) => t.id === termId);
  const working = pass !== null && tool !== "none" && width > 0 && compare === "none" && size.width > 0;
  if (!working) return <div ref={box} className="pointer-events-none absolute inset-0" />;
  const d = density();
  const device = place(viewport, { width: size.width * d, height: size.height * d }, { width, height }, d);
  const at = { scale: device.scale / d, left: device.left / d, top: device.top / d };
  const screen: OnScreen = { frame, pass, at, picture: { width, height } };
  return (
    <div ref={box} className="absolute inset-0">
      <Wheel box={box} />
      {tool === "brush" && term?.kind === "brush" && <BrushLayer key={term.id} screen={screen} term={term} />}
      {(tool === "band" || tool === "ring") && (term?.kind === "band" || term?.kind === "ring") && (
        <ShapeLayer key={term.id} screen={screen} term={term} />
      )}
      {(tool === "tone" || tool === "colour" || tool === "near") && (
        <PickLayer key={tool} screen={screen} onPick={(x, y) => pick(frame, pass, tool, term ?? null, x, y)} />
      )}
    </div>
  );
}

/** Takes a tone, a colour or a place from the picture into a part of the area, or makes one of it. */
async function pick(
  frame: Frame,
  pass: string,
  kind: "tone" | "colour" | "near",
  term: Term | null,
  x: number,
  y: number,
): Promise<void> {
  const { draft, forThis } = useBench.getState();
  if (!draft) return;
  const here = forThis();
  try {
    const body = { recipe: { ...draft, passes: { passes: [] } } as unknown as Record<string, never>, x, y };
    const seen = await need(api.POST("/api/frames/{id}/look", { params: { path: { id: frame.id } }, body }));
    const tone = Math.round(100 * seen.lightness);
    const values = {
      tone: { low: Math.max(tone - 8, 0), high: Math.min(tone + 8, 100) },
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
    if (useBench.getState().openPass === pass) usePasses.getState().work(kind, fresh.id);
  } catch (error) {
    complain(error);
  }
}

/** The wheel zooms through the tools as it does without them. */
function Wheel({ box }: { box: RefObject<HTMLDivElement | null> }) {
  const canvas = useRef<HTMLCanvasElement | null>(null);
  useEffect(() => {
    canvas.current = document.querySelector<HTMLCanvasElement>("[data-testid=picture]");
    const element = box.current;
    const forward = (e: WheelEvent) => {
      e.preventDefault();
      const under = canvas.current;
      if (!under) return;
      under.dispatchEvent(
        new WheelEvent("wheel", { deltaY: e.deltaY, clientX: e.clientX, clientY: e.clientY, cancelable: true }),
      );
    };
    element?.addEventListener("wheel", forward, { passive: false });
    return () => element?.removeEventListener("wheel", forward);
  }, [box]);
  return null;
}

function useSize(box: RefObject<HTMLElement | null>): Size {
  const [size, setSize] = useState<Size>({ width: 0, height: 0 });
  useEffect(() => {
    const parent = box.current?.parentElement;
    if (!parent) return;
    const observer = new ResizeObserver(() => setSize({ width: parent.clientWidth, height: parent.clientHeight }));
    observer.observe(parent);
    return () => observer.disconnect();
  }, [box]);
  return size;
}
