import { type PointerEvent, type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import type { Recipe } from "../../../api/generated/recipe";
import { type Place, packed } from "../../../canvas/strokes";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { complain } from "../../../state/notices";
import type { BrushSettings, Here, TermOf } from "../../../state/passes";
import { whenAnswered } from "../../../state/turns";
import { ARROWS } from "../../../ui/arrows";
import { useEscape } from "../../../ui/use_escape";
import type { OnScreen } from "./on_screen";
import { flowOf, pressed, usePen, widthOf } from "./pen";
import { converted, newestOnly } from "./places";

export type Stroke = TermOf<"brush">["strokes"][number];

/** Screen pixels by which a stroke's path may be simplified. */
const TOLERANCE = 0.6;

interface Running {
  id: string;
  /** In full-size pixels of the finished picture. */
  points: Place[];
  /** How hard a pen was pressed at each of them, 0 to 1; empty for a mouse or a finger. */
  pressures: number[];
  erase: boolean;
}

interface Props {
  screen: OnScreen;
  brush: BrushSettings;
  /** The newest settings, when a stroke is put together. */
  settings: () => BrushSettings;
  /** Where the last stroke ended, in frame coordinates: straight strokes go on from there. */
  ended: Place | null;
  label: string;
  /** A recipe with the stroke in it, shown while it grows; left out where only the finished stroke counts. */
  follow?: (recipe: Recipe, stroke: Stroke) => Recipe;
  /** Called when the hand lets go; what it returns is done with the stroke when its turn comes. `here` saves to the version it was
   * painted on, also when another one is open by then. */
  done: () => (stroke: Stroke, here: Here) => void | Promise<void>;
  /** What a press with Alt does, at a place of the picture; without it the stroke rubs out. */
  onAlt?: (at: Place) => void;
  /** More over the picture, with the pointer on the screen and the brush's radius there. */
  children?: (pointer: Place | null, radius: number) => ReactNode;
}

/** The brush over the picture: two rings for size and hardness, the stroke under the pointer at once, its effect soon after. */
export function BrushLayer({ screen, brush, settings, ended, label, follow, done, onAlt, children }: Props) {
  const { frame, at, picture } = screen;
  const long = Math.max(frame.width, frame.height);
  const [pointer, setPointer] = useState<Place | null>(null);
  const [running, setRunning] = useState<Running | null>(null);
  const [byKeys, setByKeys] = useState(false);
  const held = useRef<Running | null>(null);
  const scaleAt = useScale(screen, pointer);
  const radius = ((brush.size / 100) * (scaleAt ?? long) * at.scale) / 2;
  const toPicture = (x: number, y: number): Place => [(x - at.left) / at.scale, (y - at.top) / at.scale];
  const toScreen = ([x, y]: Place): Place => [at.left + x * at.scale, at.top + y * at.scale];

  /** The stroke as the recipe holds it. */
  const strokeOf = async (r: Running, recipe: Recipe | null, now: BrushSettings): Promise<Stroke | null> => {
    if (!recipe) return null;
    const { points, widths } = pressed(r.points, r.pressures, now, (now.size / 200) * long, TOLERANCE / at.scale);
    const told = await converted(frame.id, recipe, points, "frame");
    const places = told.points.filter((p): p is Place => p !== null);
    if (!places.length) return null;
    return {
      id: r.id,
      points: packed(places),
      size: now.size / 100,
      hardness: now.hardness,
      flow: flowOf(r.pressures, now),
      erase: r.erase,
      build_up: now.buildUp,
      near_edges: now.nearEdges,
      tones: now.tones,
      widths: widths.filter((_, i) => told.points[i] !== null),
    };
  };
  // the effect follows the hand as fast as answers come
  // biome-ignore lint/correctness/useExhaustiveDependencies: one queue for the life of the layer
  const following = useMemo(
    () =>
      newestOnly(async (r: Running) => {
        if (!newest.current.follow) return;
        const stroke = await strokeOf(r, useBench.getState().draft, settings());
        const put = newest.current.follow;
        if (stroke && put && held.current?.id === r.id) useBench.getState().edit((recipe) => put(recipe, stroke));
      }),
    [at.scale, frame.id],
  );
  const newest = useRef({ follow });
  newest.current = { follow };

  const begin = (from: Place[], pen: number | null, erase: boolean) => {
    const fresh = { id: newItemId(), points: from, pressures: pen === null ? [] : [pen], erase };
    if (pen !== null) usePen.getState().saw();
    held.current = fresh;
    setRunning(fresh);
    following.ask(fresh);
  };
  /** Strokes are done in the order in which they were drawn, and an undo that is pressed meanwhile takes back the last of them;
   * where a stroke lies is asked at once, in the framing that was seen. */
  const end = (): Promise<void> => {
    const drawn = held.current;
    held.current = null;
    if (!drawn) return Promise.resolve();
    const here = useBench.getState().forThis();
    const finish = done();
    const [seen, now] = [useBench.getState().draft, settings()];
    const placed = following.settled().then(() => strokeOf(drawn, seen, now));
    return whenAnswered(placed, (stroke) => (stroke ? finish(stroke, here) : undefined))
      .catch((error: unknown) => {
        useBench.getState().cancel();
        complain(error);
      })
      .finally(() => setRunning((r) => (r?.id === drawn.id ? null : r)));
  };
  useEscape(running !== null, () => {
    held.current = null;
    setRunning(null);
    useBench.getState().cancel();
  });
  /** A straight stroke from where the last one ended. */
  const straight = async (to: Place, erase: boolean) => {
    const recipe = useBench.getState().draft;
    if (!recipe || !ended) return begin([to], null, erase);
    try {
      const told = await converted(frame.id, recipe, [ended], "picture");
      const from = told.points[0];
      begin(from ? [from, to] : [to], null, erase);
      await end();
    } catch (error) {
      complain(error);
    }
  };
  const onDown = (e: PointerEvent<HTMLDivElement>) => {
    if (e.button !== 0) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const box = e.currentTarget.getBoundingClientRect();
    const here = toPicture(e.clientX - box.left, e.clientY - box.top);
    if (e.altKey && onAlt) return onAlt(here);
    const erase = brush.erase !== e.altKey;
    if (e.shiftKey) void straight(here, erase);
    else begin([here], e.pointerType === "pen" ? e.pressure : null, erase);
  };
  const onMove = (e: PointerEvent<HTMLDivElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    setByKeys(false);
    setPointer([e.clientX - box.left, e.clientY - box.top]);
    const r = held.current;
    if (!r) return;
    const coalesced = e.nativeEvent.getCoalescedEvents?.() ?? [];
    const fresh = coalesced.length ? coalesced : [e.nativeEvent];
    const next = {
      ...r,
      points: [...r.points, ...fresh.map((c) => toPicture(c.clientX - box.left, c.clientY - box.top))],
      pressures: r.pressures.length ? [...r.pressures, ...fresh.map((c) => c.pressure)] : [],
    };
    held.current = next;
    setRunning(next);
    following.ask(next);
  };
  const path = running?.points
    .map(
      (p, i) =>
        `${i ? "L" : "M"}${toScreen(p)
          .map((v) => v.toFixed(1))
          .join(" ")}`,
    )
    .join("");
  const dab = running?.points.length === 1 ? toScreen(running.points[0] as Place) : null;
  return (
    // biome-ignore lint/a11y/useSemanticElements: a surface that is painted on
    <div
      role="button"
      tabIndex={0}
      aria-label={label}
      data-testid="brush"
      className="pointer-events-auto absolute inset-0 cursor-none touch-none"
      onPointerDown={onDown}
      onPointerMove={onMove}
      onPointerUp={() => void end()}
      onPointerCancel={() => void end()}
      onPointerLeave={() => held.current || setPointer(null)}
      onKeyDown={(e) => {
        const step = ARROWS[e.key];
        const from = pointer ?? toScreen([picture.width / 2, picture.height / 2]);
        const by = e.shiftKey ? 40 : 8;
        if (step) setPointer([from[0] + step[0] * by, from[1] + step[1] * by]);
        else if (e.key === "Enter" && e.altKey && onAlt) onAlt(toPicture(...from));
        else if (e.key === "Enter" && e.shiftKey) void straight(toPicture(...from), brush.erase);
        else if (e.key === "Enter") {
          begin([toPicture(...from)], null, brush.erase);
          void end();
        } else return;
        setByKeys(true);
        e.preventDefault();
        e.stopPropagation();
      }}
    >
      <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full">
        {running && path && (
          <path
            d={dab ? `${path}h0.01` : path}
            fill="none"
            stroke={running.erase ? "#ffffff" : "#d69616"}
            strokeOpacity={0.28}
            strokeWidth={2 * radius * widthOf(running.pressures, brush)}
            strokeLinecap="round"
            strokeLinejoin="round"
          />
        )}
        {pointer && (
          <Rings
            x={pointer[0]}
            y={pointer[1]}
            radius={radius}
            hardness={brush.hardness}
            erase={brush.erase}
            cross={byKeys}
          />
        )}
        {children?.(pointer, radius)}
      </svg>
    </div>
  );
}

function Rings(props: { x: number; y: number; radius: number; hardness: number; erase: boolean; cross: boolean }) {
  const { x, y, radius, hardness, erase, cross } = props;
  const inner = (radius * hardness) / 100;
  return (
    <g fill="none">
      <circle cx={x} cy={y} r={radius} stroke="#fff" strokeWidth={3} strokeOpacity={0.85} />
      <circle cx={x} cy={y} r={radius} stroke="#161616" strokeWidth={1.3} />
      {inner > 2 && inner < radius - 2 && <circle cx={x} cy={y} r={inner} stroke="#161616" strokeDasharray="3 3" />}
      {inner > 2 && inner < radius - 2 && (
        <circle cx={x} cy={y} r={inner} stroke="#fff" strokeDasharray="3 3" strokeDashoffset={3} />
      )}
      {(erase || cross || radius < 3) && (
        <path d={erase ? `M${x - 4} ${y}h8` : `M${x - 4} ${y}h8M${x} ${y - 4}v8`} stroke="#161616" strokeWidth={1.4} />
      )}
    </g>
  );
}

/** How large a long edge of the frame is about the pointer, in pixels of the picture: movements of the camera change it. */
function useScale(screen: OnScreen, pointer: Place | null): number | null {
  const [scale, setScale] = useState<number | null>(null);
  const { frame, at, picture } = screen;
  const draft = useBench((s) => s.draft);
  const cell = pointer ? pointer.map((v) => Math.round(v / 60)).join() : "middle";
  const key = JSON.stringify([frame.id, cell, at, draft?.framing]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says all that the answer depends on
  useEffect(() => {
    if (!draft) return;
    const stop = new AbortController();
    const where: Place = pointer
      ? [(pointer[0] - at.left) / at.scale, (pointer[1] - at.top) / at.scale]
      : [picture.width / 2, picture.height / 2];
    converted(frame.id, draft, [where], "frame", stop.signal)
      .then((told) => stop.signal.aborted || setScale(told.scale[0] ?? null))
      .catch(() => {}); // the frame's own size stands in
    return () => stop.abort();
  }, [key]);
  return scale;
}
