import { useEffect, useMemo, useRef } from "react";
import type { Frame } from "../../../api/client";
import type { Recipe } from "../../../api/generated/recipe";
import { closeView, fetchView, type View } from "../../../api/view";
import { Latest } from "../../../canvas/latest";
import { type PlanePlacement, type Point, toScreen } from "../../../canvas/plane";
import type { Size } from "../../../canvas/viewport";
import { useBench } from "../../../state/bench";

const ACROSS = 72;
const SIDE = 152;

/** Full-size pixels round a corner that is being pulled, beside it and inside the picture. */
export function Loupe({ frame, place, at, box }: { frame: Frame; place: Point; at: PlanePlacement; box: Size }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const draft = useBench((s) => s.draft);
  const latest = useMemo(
    () =>
      new Latest<{ place: Point; recipe: Recipe | null }, View>(
        ({ place: p, recipe }, signal) => {
          const plane = [p[0] - ACROSS / 2, p[1] - ACROSS / 2, ACROSS, ACROSS] as const;
          const window = { scaledWidth: ACROSS, scaledHeight: ACROSS, x: 0, y: 0, width: 0, height: 0 };
          return fetchView(frame.id, recipe, window, { plane, urgency: "hand", place: "loupe" }, signal);
        },
        (view) => {
          const context = canvas.current?.getContext("2d");
          if (!context) return;
          context.imageSmoothingEnabled = false;
          view.picture.draw(context, 0, 0, SIDE, SIDE);
          closeView(view);
        },
        () => {}, // the picture itself says what is wrong
      ),
    [frame.id],
  );
  useEffect(() => () => latest.stop(), [latest]);
  useEffect(() => {
    if (draft) latest.ask({ place, recipe: draft });
  }, [latest, place, draft]);
  const [x, y] = toScreen(at, place);
  const left = Math.min(Math.max(x < box.width / 2 ? x + 26 : x - 26 - SIDE, 4), box.width - SIDE - 4);
  const top = Math.min(Math.max(y < box.height / 2 ? y + 26 : y - 26 - SIDE, 4), box.height - SIDE - 4);
  return (
    <div
      className="pointer-events-none absolute border-2 border-ink bg-surround outline outline-1 outline-white"
      style={{ left, top, width: SIDE, height: SIDE }}
    >
      <canvas ref={canvas} width={SIDE} height={SIDE} className="block h-full w-full" aria-hidden />
      <svg viewBox="0 0 100 100" className="absolute inset-0" aria-hidden>
        <path d="M50 30V46M50 54V70M30 50H46M54 50H70" stroke="#f6f6f6" strokeWidth="2.4" />
        <path d="M50 30V46M50 54V70M30 50H46M54 50H70" stroke="#161616" strokeWidth="1" />
      </svg>
    </div>
  );
}
