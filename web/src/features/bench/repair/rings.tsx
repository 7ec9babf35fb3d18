import { type PointerEvent, useMemo, useRef, useState } from "react";
import type { Recipe, Repair } from "../../../api/generated/recipe";
import type { Place } from "../../../canvas/strokes";
import { useBench } from "../../../state/bench";
import { complain } from "../../../state/notices";
import { saveTo } from "../../../state/passes";
import {
  extentOf,
  KIND_WORDS,
  linesOf,
  moved,
  outlineOf,
  repairsOf,
  takesFrom,
  useRepairs,
  withRepair,
} from "../../../state/repairs";
import { whenAnswered } from "../../../state/turns";
import { ARROWS } from "../../../ui/arrows";
import { useEscape } from "../../../ui/use_escape";
import type { OnScreen } from "../drawing/on_screen";
import { converted, newestOnly, useOnPicture } from "../drawing/places";
import { useStepped } from "../drawing/stepped";

type Part = "target" | "source";

/** Numbered rings about what is mended; the open one with where it is taken from, both to be dragged. */
export function Rings({ screen }: { screen: OnScreen }) {
  const { frame, at } = screen;
  const draft = useBench((s) => s.draft);
  const show = useBench((s) => s.show);
  const open = useRepairs((s) => s.open);
  const tool = useRepairs((s) => s.tool);
  const repairs = repairsOf(draft);
  const extents = repairs.map(extentOf);
  const current = repairs.find((r) => r.id === open);
  const source = current && takesFrom(current) ? extentOf(current) : null;
  const places: Place[] = extents.map((e) => e.middle);
  if (current && source) places.push([source.middle[0] + current.dx, source.middle[1] + current.dy]);
  const lines = repairs.flatMap((r, i) => linesOf(r).map((line) => ({ of: i, line })));
  const first = places.length;
  places.push(...lines.flatMap((l) => l.line));
  // where a patch comes from has its outline, where a removal may take from the one that was drawn
  const drawnFrom =
    current?.kind === "patch"
      ? outlineOf(current.outline).map(([x, y]): Place => [x + current.dx, y + current.dy])
      : outlineOf(current?.source_outline ?? []);
  places.push(...drawnFrom);
  const told = useOnPicture(frame.id, draft, places);
  if (!told || told.points.length !== places.length) return null;
  const toScreen = (p: Place): Place => [at.left + p[0] * at.scale, at.top + p[1] * at.scale];
  const paths = new Map<number, string>();
  const starts = new Map<number, Place>();
  let next = first;
  for (const { of, line } of lines) {
    const seen = told.points.slice(next, next + line.length).filter((p): p is Place => p !== null);
    next += line.length;
    const drawn = seen.map(toScreen);
    const begin = drawn[0];
    if (begin && !starts.has(of)) starts.set(of, begin);
    const path = drawn.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("");
    paths.set(of, (paths.get(of) ?? "") + path);
  }
  const rings = repairs.map((repair, i) => {
    const point = told.points[i];
    const radius = Math.max((extents[i]?.radius ?? 0) * (told.scale[i] ?? 0) * at.scale, 7);
    const middle = point ? toScreen(point) : null;
    const path = paths.get(i) ?? "";
    // a line has its number where it begins
    const tag = path
      ? (starts.get(i) ?? middle)
      : middle && ([middle[0] + radius * 0.72, middle[1] - radius * 0.72] as Place);
    return { repair, number: i + 1, middle, radius, path, tag };
  });
  const from = source ? told.points[first - 1] : null;
  const fromAt = from ? toScreen(from) : null;
  const target = rings.find((r) => r.repair.id === open);
  const seenFrom = told.points.slice(places.length - drawnFrom.length).filter((p): p is Place => p !== null);
  const around =
    seenFrom.length > 2
      ? `M${seenFrom
          .map((p) =>
            toScreen(p)
              .map((v) => v.toFixed(1))
              .join(" "),
          )
          .join("L")}Z`
      : "";
  return (
    <>
      <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full" fill="none">
        {rings.map(({ repair, middle, radius, path }) => {
          if (!middle) return null;
          const opened = repair.id === open;
          if (path)
            return (
              <g key={repair.id} opacity={repair.on ? 1 : 0.45} strokeLinecap="round" strokeLinejoin="round">
                <path d={path} stroke="#fff" strokeWidth={opened ? 4 : 3} strokeOpacity={0.75} />
                <path d={path} stroke="#161616" strokeWidth={opened ? 1.8 : 1.1} />
              </g>
            );
          return (
            <g key={repair.id} opacity={repair.on ? 1 : 0.45}>
              <circle
                cx={middle[0]}
                cy={middle[1]}
                r={radius}
                stroke="#fff"
                strokeWidth={opened ? 3.6 : 2.6}
                strokeOpacity={0.8}
              />
              <circle cx={middle[0]} cy={middle[1]} r={radius} stroke="#161616" strokeWidth={opened ? 1.8 : 1.1} />
            </g>
          );
        })}
        {around &&
          ["#fff", "#161616"].map((ink, i) => (
            <path
              key={ink}
              d={around}
              stroke={ink}
              strokeOpacity={i ? 1 : 0.7}
              strokeWidth={i ? 1.4 : 3}
              strokeLinecap="round"
              {...(i ? { strokeDasharray: "1.5 4" } : {})}
            />
          ))}
        {target?.middle && fromAt && (
          <g>
            {["#fff", "#161616"].map((ink, i) => (
              <path
                key={ink}
                d={between(target.middle as Place, fromAt, target.radius)}
                stroke={ink}
                strokeOpacity={i ? 1 : 0.7}
                strokeWidth={i ? 1 : 3}
              />
            ))}
            {current?.kind !== "patch" && (
              <>
                <circle
                  cx={fromAt[0]}
                  cy={fromAt[1]}
                  r={target.radius}
                  stroke="#fff"
                  strokeWidth={3}
                  strokeOpacity={0.7}
                />
                <circle
                  cx={fromAt[0]}
                  cy={fromAt[1]}
                  r={target.radius}
                  stroke="#161616"
                  strokeWidth={1.4}
                  strokeDasharray="1.5 4"
                  strokeLinecap="round"
                />
              </>
            )}
          </g>
        )}
      </svg>
      {show !== "dust" &&
        rings.map(
          ({ repair, number, tag }) =>
            tag && (
              <button
                key={repair.id}
                type="button"
                tabIndex={-1}
                aria-label={`${KIND_WORDS[repair.kind]} ${number} on the picture`}
                onClick={() => useRepairs.setState({ open: repair.id === open ? null : repair.id })}
                className={`pointer-events-auto absolute flex h-[17px] min-w-[17px] items-center justify-center rounded-full border px-1 text-[11px] font-semibold leading-none ${repair.id === open ? "border-white bg-ink text-white" : "border-ink bg-white/90 text-ink"}`}
                style={{ left: tag[0] - 2, top: tag[1] - 15 }}
              >
                {number}
              </button>
            ),
        )}
      {current && target?.middle && (tool === "none" || target.radius > 22) && (
        <Handle screen={screen} repair={current} part="target" middle={target.middle} number={target.number} />
      )}
      {current && fromAt && target && (
        <Handle screen={screen} repair={current} part="source" middle={fromAt} number={target.number} />
      )}
    </>
  );
}

/** From edge to edge of two rings; nothing where they overlap. */
function between(a: Place, b: Place, radius: number): string {
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
  const far = Math.hypot(dx, dy);
  if (far <= 2 * radius) return "";
  const [ux, uy] = [(dx / far) * radius, (dy / far) * radius];
  return `M${a[0] + ux} ${a[1] + uy}L${b[0] - ux} ${b[1] - uy}`;
}

/** The middle of a ring: dragged, or moved by arrows; the result follows the hand. */
function Handle(props: { screen: OnScreen; repair: Repair; part: Part; middle: Place; number: number }) {
  const { screen, repair, part, middle, number } = props;
  const { frame, at } = screen;
  const held = useRef<{ from: Place; repair: Repair } | null>(null);
  const [dragging, setDragging] = useState(false);
  const button = useRef<HTMLButtonElement>(null);
  const toPicture = ([x, y]: Place): Place => [(x - at.left) / at.scale, (y - at.top) / at.scale];
  const placed = (one: Repair, by: Place): Repair =>
    part === "source" ? { ...one, dx: one.dx + by[0], dy: one.dy + by[1] } : moved(one, by, "stays");
  const shifted = async (one: Repair, from: Place, to: Place): Promise<Repair | null> => {
    const recipe = useBench.getState().draft;
    if (!recipe) return null;
    const told = await converted(frame.id, recipe, [toPicture(from), toPicture(to)], "frame");
    const [a, b] = told.points;
    return a && b ? placed(one, [b[0] - a[0], b[1] - a[1]]) : null;
  };
  // only where it lies and comes from: whatever else was done to it meanwhile stays
  const put = (one: Repair) => (r: Recipe) =>
    withRepair(r, one.id, (now) => ({
      ...now,
      dx: one.dx,
      dy: one.dy,
      strokes: one.strokes,
      outline: one.outline,
      fill: part === "target" ? one.fill : now.fill,
    }));
  const go = useStepped<Repair>(shifted, (here, next) => saveTo(here, `${repair.id} ${part}`, put(next)));
  // biome-ignore lint/correctness/useExhaustiveDependencies: one queue for the life of the handle
  const follow = useMemo(
    () =>
      newestOnly(async (to: Place) => {
        const h = held.current;
        if (!h) return;
        const next = await shifted(h.repair, h.from, to);
        if (next && held.current === h) useBench.getState().edit(put(next));
      }),
    [frame.id, repair.id, part, at.scale, at.left, at.top],
  );
  const where = (e: PointerEvent): Place => {
    const box = button.current?.offsetParent?.getBoundingClientRect();
    return [e.clientX - (box?.left ?? 0), e.clientY - (box?.top ?? 0)];
  };
  const end = (e: PointerEvent) => {
    const h = held.current;
    if (!h) return;
    held.current = null; // the hand has let go, however late the answer comes
    const to = where(e);
    setDragging(false);
    if (Math.hypot(to[0] - h.from[0], to[1] - h.from[1]) < 2) {
      useBench.getState().cancel();
      return;
    }
    const here = useBench.getState().forThis();
    whenAnswered(shifted(h.repair, h.from, to), async (next) => {
      await follow.settled();
      if (next) saveTo(here, "", put(next));
    }).catch((error: unknown) => {
      if (here.isOpen()) useBench.getState().cancel();
      complain(error);
    });
  };
  useEscape(dragging, () => {
    held.current = null;
    setDragging(false);
    useBench.getState().cancel();
  });
  return (
    <button
      ref={button}
      type="button"
      aria-label={`${part === "source" ? "Where it comes from" : "Place"}, ${KIND_WORDS[repair.kind].toLowerCase()} ${number}: arrows move it`}
      data-testid={`repair-${part}`}
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.stopPropagation();
        e.currentTarget.setPointerCapture(e.pointerId);
        held.current = { from: where(e), repair };
        setDragging(true);
      }}
      onPointerMove={(e) => held.current && follow.ask(where(e))}
      onPointerUp={end}
      onPointerCancel={end}
      onKeyDown={(e) => {
        const step = ARROWS[e.key];
        if (!step) return;
        e.preventDefault();
        e.stopPropagation();
        const by = e.shiftKey ? 10 : 1;
        go(part, repair, middle, [step[0] * by, step[1] * by]);
      }}
      className={`pointer-events-auto absolute flex h-6 w-6 -translate-x-1/2 -translate-y-1/2 touch-none items-center justify-center rounded-full ${dragging ? "cursor-grabbing opacity-60" : "cursor-grab"}`}
      style={{ left: middle[0], top: middle[1] }}
    >
      <span
        aria-hidden="true"
        className={`h-[15px] w-[15px] rounded-full border-[1.5px] border-ink bg-white/85 ${part === "source" ? "border-dotted" : ""}`}
      />
    </button>
  );
}
