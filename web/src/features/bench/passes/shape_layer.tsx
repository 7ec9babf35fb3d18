import { type KeyboardEvent, type PointerEvent, useMemo, useRef, useState } from "react";
import type { Recipe, Term } from "../../../api/generated/recipe";
import type { Place } from "../../../canvas/strokes";
import { useBench } from "../../../state/bench";
import { saveTo, type TermOf, withTerm } from "../../../state/passes";
import { whenAnswered } from "../../../state/turns";
import { ARROWS } from "../../../ui/arrows";
import { useEscape } from "../../../ui/use_escape";
import type { OnScreen } from "../drawing/on_screen";
import { converted, newestOnly, useOnPicture } from "../drawing/places";
import { useStepped } from "../drawing/stepped";
import { type Grip, grips, lying, outlines, withGrip } from "./shapes";

type Shape = TermOf<"band"> | TermOf<"ring">;

/** What is moved: a handle, or the whole shape anew from a place; the shape as it was then. */
interface Held {
  grip: Grip | "new";
  from: Place;
  shape: Shape;
}

/** Handles and outlines of a band or a ring; a drag on the free picture draws it anew. */
export function ShapeLayer({ screen, pass, term }: { screen: OnScreen; pass: string; term: Shape }) {
  const { frame, at } = screen;
  const draft = useBench((s) => s.draft);
  const handles = grips(term);
  const lines = outlines(term);
  const places = [...handles.map((h) => h.place), ...lines.flat()];
  const told = useOnPicture(frame.id, draft, places);
  const surface = useRef<HTMLDivElement>(null);
  const held = useRef<Held | null>(null);
  const [dragging, setDragging] = useState(false);
  const toPicture = (e: { clientX: number; clientY: number }): Place => {
    const box = surface.current?.getBoundingClientRect();
    return [(e.clientX - (box?.left ?? 0) - at.left) / at.scale, (e.clientY - (box?.top ?? 0) - at.top) / at.scale];
  };
  // only where it lies: whatever else was done to it meanwhile stays
  const put = (shape: Shape) => (r: Recipe) =>
    withTerm(r, pass, term.id, (now) => ({ ...now, ...lying(shape) }) as Term);
  const shaped = async (h: Held, to: Place): Promise<Shape | null> => {
    const recipe = useBench.getState().draft;
    if (!recipe) return null;
    const answer = await converted(frame.id, recipe, [h.from, to], "frame");
    const [from, here] = answer.points;
    return from && here ? withGrip(h.shape, h.grip, from, here) : null;
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: one queue for the life of the layer
  const follow = useMemo(
    () =>
      newestOnly(async (to: Place) => {
        const h = held.current;
        const next = h && (await shaped(h, to));
        if (next && held.current === h) useBench.getState().edit(put(next));
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
  const end = (e: PointerEvent) => {
    const h = held.current;
    if (!h) return;
    held.current = null; // the hand has let go, however late the answer comes
    const to = toPicture(e);
    const moved = Math.hypot(to[0] - h.from[0], to[1] - h.from[1]) * at.scale > 2;
    const here = useBench.getState().forThis();
    setDragging(false);
    const asked = moved ? shaped(h, to).catch(() => null) : Promise.resolve(null);
    void whenAnswered(asked, async (next) => {
      await follow.settled();
      if (next) saveTo(here, "", put(next));
      else if (here.isOpen()) useBench.getState().cancel();
    });
  };
  useEscape(dragging, () => {
    held.current = null;
    setDragging(false);
    useBench.getState().cancel();
  });
  const go = useStepped<Held>(
    async (h, from, to) => {
      const shape = await shaped({ ...h, from }, to);
      return shape && { ...h, shape };
    },
    (here, { shape, grip }) => saveTo(here, `${term.id} ${grip}`, put(shape)),
  );
  const byKey = (e: KeyboardEvent, grip: Grip, index: number) => {
    const step = ARROWS[e.key];
    const now = told?.points[index];
    if (!step || !now) return;
    e.preventDefault();
    e.stopPropagation();
    const by = (e.shiftKey ? 10 : 1) / at.scale;
    go(grip, { grip, from: now, shape: term }, now, [step[0] * by, step[1] * by]);
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
      onPointerUp={end}
      onPointerCancel={end}
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
              onKeyDown={(e) => byKey(e, h.grip, i)}
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
