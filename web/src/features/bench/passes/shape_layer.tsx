import { type KeyboardEvent, type PointerEvent, useMemo, useRef, useState } from "react";
import type { Recipe, Term } from "../../../api/generated/recipe";
import type { Place } from "../../../canvas/strokes";
import { useBench } from "../../../state/bench";
import { saveAs, type TermOf, withTerm } from "../../../state/passes";
import { ARROWS } from "../../../ui/arrows";
import { useEscape } from "../../../ui/use_escape";
import type { OnScreen } from "../drawing/on_screen";
import { converted, newestOnly, useOnPicture } from "../drawing/places";
import { type Grip, grips, outlines, withGrip } from "./shapes";

type Shape = TermOf<"band"> | TermOf<"ring">;

/** Handles and outlines of a band or a ring; a drag on the free picture draws it anew. */
export function ShapeLayer({ screen, pass, term }: { screen: OnScreen; pass: string; term: Shape }) {
  const { frame, at } = screen;
  const draft = useBench((s) => s.draft);
  const handles = grips(term);
  const lines = outlines(term);
  const places = [...handles.map((h) => h.place), ...lines.flat()];
  const told = useOnPicture(frame.id, draft, places);
  const surface = useRef<HTMLDivElement>(null);
  /** What is dragged: a handle, or the whole shape anew from a place; the shape as it was then. */
  const held = useRef<{ grip: Grip | "new"; from: Place; shape: Shape } | null>(null);
  const [dragging, setDragging] = useState(false);
  const toPicture = (e: { clientX: number; clientY: number }): Place => {
    const box = surface.current?.getBoundingClientRect();
    return [(e.clientX - (box?.left ?? 0) - at.left) / at.scale, (e.clientY - (box?.top ?? 0) - at.top) / at.scale];
  };
  const put = (shape: Shape) => (r: Recipe) => withTerm(r, pass, term.id, () => shape as Term);
  const shaped = async (to: Place): Promise<Shape | null> => {
    const h = held.current;
    const recipe = useBench.getState().draft;
    if (!h || !recipe) return null;
    const answer = await converted(frame.id, recipe, [h.from, to], "frame");
    const [from, here] = answer.points;
    return from && here ? withGrip(h.shape, h.grip, from, here) : null;
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: one queue for the life of the layer
  const follow = useMemo(
    () =>
      newestOnly(async (to: Place) => {
        const next = await shaped(to);
        if (next && held.current) useBench.getState().edit(put(next));
      }),
    [frame.id, term.id],
  );
  const begin = (grip: Grip | "new", e: PointerEvent) => {
    if (e.button !== 0) return;
    e.stopPropagation();
    surface.current?.setPointerCapture(e.pointerId);
    held.current = { grip, from: toPicture(e), shape: term };
    setDragging(true);
  };
  const end = async (e: PointerEvent) => {
    if (!held.current) return;
    const to = toPicture(e);
    const moved = Math.hypot(to[0] - held.current.from[0], to[1] - held.current.from[1]) * at.scale > 2;
    await follow.settled();
    const next = moved ? await shaped(to).catch(() => null) : null;
    held.current = null;
    setDragging(false);
    if (next) saveAs("", put(next));
    else useBench.getState().cancel();
  };
  useEscape(dragging, () => {
    held.current = null;
    setDragging(false);
    useBench.getState().cancel();
  });
  const byKey = async (e: KeyboardEvent, grip: Grip, index: number) => {
    const step = ARROWS[e.key];
    const now = told?.points[index];
    if (!step || !now) return;
    e.preventDefault();
    e.stopPropagation();
    const by = (e.shiftKey ? 10 : 1) / at.scale;
    held.current = { grip, from: now, shape: term };
    const next = await shaped([now[0] + step[0] * by, now[1] + step[1] * by]).catch(() => null);
    held.current = null;
    if (next) saveAs(`${term.id} ${grip}`, put(next));
  };
  const seen = (p: Place | null | undefined): Place | null =>
    p ? [at.left + p[0] * at.scale, at.top + p[1] * at.scale] : null;
  let next = handles.length;
  const paths = lines.map((line) => {
    const part = told?.points.slice(next, next + line.length).map(seen) ?? [];
    next += line.length;
    const known = part.filter((p): p is Place => p !== null);
    return known.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("");
  });
  return (
    <div
      ref={surface}
      data-testid="shape"
      className="pointer-events-auto absolute inset-0 cursor-crosshair touch-none"
      onPointerDown={(e) => begin("new", e)}
      onPointerMove={(e) => held.current && follow.ask(toPicture(e))}
      onPointerUp={(e) => void end(e)}
      onPointerCancel={(e) => void end(e)}
    >
      <svg className="absolute inset-0 h-full w-full">
        <title>{term.kind === "band" ? "Band" : "Ring"} over the picture</title>
        {paths.map((d, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: outlines have no identity but their order
          <g key={i} fill="none" className="pointer-events-none">
            <path d={d} stroke="#fff" strokeWidth={3.2} strokeOpacity={0.8} />
            <path d={d} stroke="#161616" strokeWidth={1.3} strokeDasharray={i ? "5 4" : undefined} />
          </g>
        ))}
        {handles.map((h, i) => {
          const p = seen(told?.points[i]);
          if (!p) return null;
          return (
            // biome-ignore lint/a11y/useSemanticElements: an SVG shape cannot be a button element
            <g
              key={h.grip}
              role="button"
              tabIndex={0}
              aria-label={`${h.label}: arrows move it`}
              className="cursor-grab"
              onPointerDown={(e) => begin(h.grip, e)}
              onKeyDown={(e) => void byKey(e, h.grip, i)}
            >
              <circle cx={p[0]} cy={p[1]} r={12} fill="transparent" />
              <rect
                x={p[0] - 5}
                y={p[1] - 5}
                width={10}
                height={10}
                transform={h.round ? `rotate(45 ${p[0]} ${p[1]})` : undefined}
                fill="#161616"
                stroke="#fff"
                strokeWidth={1.6}
              />
            </g>
          );
        })}
      </svg>
    </div>
  );
}
