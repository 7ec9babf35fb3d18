import { type PointerEvent, useRef, useState } from "react";
import { type Place, simplified } from "../../../canvas/strokes";
import { useBench } from "../../../state/bench";
import { complain } from "../../../state/notices";
import type { Here } from "../../../state/passes";
import { whenAnswered } from "../../../state/turns";
import { ARROWS } from "../../../ui/arrows";
import { useEscape } from "../../../ui/use_escape";
import type { OnScreen } from "../drawing/on_screen";
import { converted } from "../drawing/places";

const TOLERANCE = 0.8;
/** Screen pixels that an outline has to enclose at least. */
const LEAST_ACROSS = 6;

interface Props {
  screen: OnScreen;
  /** What is drawn, for the ear. */
  label: string;
  /** The places that were drawn round, in frame coordinates. */
  done: (places: Place[], here: Here) => Promise<void> | void;
  /** Esc while nothing is drawn yet. */
  left?: () => void;
}

/** Draws an outline: by a drag, or corner by corner with the keyboard (Enter sets one, Enter on the first closes it). */
export function OutlineLayer({ screen, label, done, left }: Props) {
  const { frame, at, picture } = screen;
  const [points, setPoints] = useState<Place[]>([]);
  const [cross, setCross] = useState<Place | null>(null);
  const drawing = useRef(false);
  const toPicture = ([x, y]: Place): Place => [(x - at.left) / at.scale, (y - at.top) / at.scale];
  const leave = () => {
    drawing.current = false;
    setPoints([]);
  };
  useEscape(points.length > 0 || left !== undefined, () => (points.length || !left ? leave() : left()));
  const finish = (drawn: Place[]) => {
    leave();
    const xs = drawn.map((p) => p[0]);
    const ys = drawn.map((p) => p[1]);
    const across = Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys));
    const { draft, forThis } = useBench.getState();
    if (!draft || drawn.length < 3 || across < LEAST_ACROSS) return;
    const here = forThis();
    const placed = converted(frame.id, draft, simplified(drawn, TOLERANCE).map(toPicture), "frame");
    whenAnswered(placed, ({ points: found }) => {
      const places = found.filter((p): p is Place => p !== null);
      return places.length >= 3 ? done(places, here) : undefined;
    }).catch(complain);
  };
  const where = (e: PointerEvent<HTMLDivElement>): Place => {
    const box = e.currentTarget.getBoundingClientRect();
    return [e.clientX - box.left, e.clientY - box.top];
  };
  const path = points.map((p, i) => `${i ? "L" : "M"}${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("");
  return (
    // biome-ignore lint/a11y/useSemanticElements: a surface that is drawn on
    <div
      role="button"
      tabIndex={0}
      aria-label={`${label}; with the keyboard arrows move, Enter sets a corner, Shift+Enter closes`}
      data-testid="outline"
      className="pointer-events-auto absolute inset-0 cursor-crosshair touch-none"
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        drawing.current = true;
        setPoints([where(e)]);
      }}
      onPointerMove={(e) => {
        if (!drawing.current) return;
        const here = where(e);
        setPoints((had) => [...had, here]);
      }}
      onPointerUp={() => {
        if (!drawing.current) return;
        drawing.current = false;
        void finish(points);
      }}
      onPointerCancel={leave}
      onKeyDown={(e) => {
        const step = ARROWS[e.key];
        const from: Place = cross ?? [
          at.left + (picture.width / 2) * at.scale,
          at.top + (picture.height / 2) * at.scale,
        ];
        const by = e.shiftKey ? 40 : 8;
        if (step) setCross([from[0] + step[0] * by, from[1] + step[1] * by]);
        else if (e.key === "Enter" && e.shiftKey) void finish([...points, from]);
        else if (e.key === "Enter") setPoints((had) => [...had, from]);
        else return;
        e.preventDefault();
        e.stopPropagation();
      }}
    >
      <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full" fill="none">
        {["#fff", "#161616"].map((ink, i) => (
          <path key={ink} d={path} stroke={ink} strokeWidth={i ? 1.3 : 3.2} strokeOpacity={i ? 1 : 0.8} />
        ))}
        {cross &&
          ["#fff", "#161616"].map((ink, i) => (
            <path
              key={ink}
              d={`M${cross[0] - 9} ${cross[1]}h18M${cross[0]} ${cross[1] - 9}v18`}
              stroke={ink}
              strokeWidth={i ? 1.4 : 3.4}
            />
          ))}
      </svg>
    </div>
  );
}
