import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { Frame } from "../../../api/client";
import type { Recipe } from "../../../api/generated/recipe";
import { closeView, type FramingFacts, fetchView, toldOf, type View, type ViewOptions } from "../../../api/view";
import { Enlarged } from "../../../canvas/enlarged";
import { Latest } from "../../../canvas/latest";
import { Pace, smooths } from "../../../canvas/pace";
import { type PlanePlacement, placePlane, type Rect } from "../../../canvas/plane";
import type { Size } from "../../../canvas/viewport";
import { SURROUNDS, useBench } from "../../../state/bench";
import { density } from "../picture_zoom";
import { useFraming } from "./framing_state";
import { Over } from "./over";

const MARGIN = 26;
/** When the whole picture is brought into sight: it moves under a hand on it, so not at once. */
const SETTLE_MS = 450;
/** When it becomes sharp where it is. */
const SHARP_MS = 80;

/** What is brought into sight: the whole picture, and room to pull its corners into while they are pulled. */
function roomFor(facts: FramingFacts): Rect {
  const [left, top, width, height] = facts.around;
  const room = useFraming.getState().tool === "corners" ? 0.1 * Math.max(width, height) : 0;
  return [left - room, top - room, width + 2 * room, height + 2 * room];
}

/** The surround alone, to draw on. */
function cleared(element: HTMLCanvasElement): CanvasRenderingContext2D {
  const context = element.getContext("2d", { alpha: false }) as CanvasRenderingContext2D;
  context.fillStyle = SURROUNDS[useBench.getState().surround];
  context.fillRect(0, 0, element.width, element.height);
  return context;
}

interface PlaneAsk {
  recipe: Recipe | null;
  options: ViewOptions;
  since: number;
  /** Whether the plane comes to rest with this picture. */
  settles: boolean;
  /** Of the full size of each side: less while a hand moves, where this machine asks for it. */
  share: number;
  /** Asked for because something moved; only these tell how quick this machine is. */
  moving: boolean;
  /** Asks for the same in full. */
  sharper: () => void;
}

/** The framing step: the whole corrected plane, the crop on it, and the tools that are drawn on it. */
export function FramingTable({ frame }: { frame: Frame }) {
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const small = useRef<HTMLCanvasElement>(null);
  const enlarged = useRef<Enlarged | null>(null);
  const shown = useRef<View | null>(null);
  const [box, setBox] = useState<Size>({ width: 0, height: 0 });
  const [plane, setPlane] = useState<Rect | null>(null);
  const surround = useBench((s) => s.surround);
  const draft = useBench((s) => s.draft);
  const compare = useBench((s) => s.compare);
  const tool = useFraming((s) => s.tool);
  const [settling, setSettling] = useState(true);
  const late = useFraming((s) => s.acting > 0 || s.shownOf !== draft) && compare !== "original";
  const settle = useRef<ReturnType<typeof setTimeout>>(undefined);
  const sharpen = useRef<ReturnType<typeof setTimeout>>(undefined);
  const pressed = useRef(false);
  /** What was asked for last is reduced. */
  const quick = useRef(false);
  const pace = useRef(new Pace()).current;
  /** The picture that is shown is not as sharp as it can be. */
  const reduced = useRef(false);

  const draw = useCallback(() => {
    const element = canvas.current;
    const view = shown.current;
    const rect = view?.header.framing?.plane;
    if (!element || !small.current) return;
    enlarged.current ??= new Enlarged(element, small.current, density);
    if (view && rect) {
      const at = placePlane(rect, { width: element.width, height: element.height }, MARGIN * density());
      const x = Math.round(at.left + rect[0] * at.scale);
      const y = Math.round(at.top + rect[1] * at.scale);
      const [width, height] = [Math.round(rect[2] * at.scale), Math.round(rect[3] * at.scale)];
      const smooth = smooths({ width, height }) && width !== view.picture.width;
      const box = { x, y, width, height };
      if (reduced.current) return enlarged.current.show({ view, box, smooth });
      enlarged.current.hide();
      const context = cleared(element);
      context.imageSmoothingEnabled = smooth;
      context.imageSmoothingQuality = "low";
      view.picture.draw(context, x, y, width, height);
    } else {
      enlarged.current.hide();
      cleared(element);
    }
  }, []);

  const latest = useMemo(
    () =>
      new Latest<PlaneAsk, View>(
        (ask, signal, received) => {
          const element = canvas.current;
          const room = (v: number) => Math.max(Math.round((v - 2 * MARGIN * density()) * ask.share), 16);
          const window = {
            scaledWidth: room(element?.width ?? 0),
            scaledHeight: room(element?.height ?? 0),
            x: 0,
            y: 0,
            width: 0,
            height: 0,
          };
          const options: ViewOptions = {
            ...ask.options,
            box: true,
            quick: ask.share < 1,
            urgency: ask.settles ? "seen" : "hand",
            place: "plane",
          };
          return fetchView(frame.id, ask.recipe, window, options, signal, received);
        },
        (view, ask) => {
          if (useBench.getState().frame !== frame.id) return;
          closeView(shown.current);
          shown.current = view;
          reduced.current = ask.share < 1;
          if (ask.moving) pace.took(ask.share, performance.now() - ask.since);
          useBench.setState({
            header: toldOf(view.header, ask.share),
            drawMs: Math.round(performance.now() - ask.since),
          });
          const rect = view.header.framing?.plane;
          if (rect) setPlane((before) => (before?.every((v, i) => v === rect[i]) ? before : rect));
          if (ask.share < 1 && quick.current && ask.recipe === useBench.getState().draft)
            sharpen.current = setTimeout(ask.sharper, SHARP_MS);
          if (ask.settles) setSettling(false);
          useFraming.setState({ refusal: "", shownOf: ask.recipe });
          draw();
        },
        (error) => {
          setSettling(false);
          useFraming.setState({ refusal: error instanceof Error ? error.message : String(error) });
        },
        closeView,
      ),
    [frame.id, draw, pace],
  );

  const ask = useCallback(
    (around: boolean, sharp = false) => {
      clearTimeout(sharpen.current);
      const s = useBench.getState();
      const element = canvas.current;
      if (!s.draft || s.frame !== frame.id || !element || element.width < 40) return;
      const facts = shown.current?.header.framing;
      const fixed = facts?.plane;
      const recipe = s.compare === "original" ? null : s.draft;
      const share = around || sharp || !facts ? 1 : pace.shareFor(element.width * element.height);
      quick.current = share < 1;
      // what is on its way may move the picture on: where the whole lies then the answer tells
      const all = !fixed || (around && useFraming.getState().tool !== "corners");
      latest.ask(
        {
          recipe,
          options: all || !facts ? { around: true } : { plane: around ? roomFor(facts) : fixed },
          since: performance.now(),
          settles: around,
          share,
          moving: !around && !sharp,
          sharper: () => ask(false, true),
        },
        (sent) => (sent.settles && !around) || sent.share < 1 !== share < 1,
      );
    },
    [frame.id, latest, pace],
  );

  useEffect(() => {
    setPlane(null);
    useFraming.setState({ tool: "crop", points: [], refusal: "", shownOf: null, lines: null, crop: null });
    return () => {
      latest.stop();
      closeView(shown.current);
      shown.current = null;
      clearTimeout(settle.current);
      clearTimeout(sharpen.current);
    };
  }, [latest]);

  // while a hand is on a control the plane stands still; when it rests the whole picture is brought into sight
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked again whenever one of these changes
  useEffect(() => {
    ask(false);
    setSettling(true);
    clearTimeout(settle.current);
    const rest = () => {
      // what is on its way may be sharp, and where it belongs: it is waited for
      if (pressed.current || latest.busy) {
        settle.current = setTimeout(rest, pressed.current ? SETTLE_MS : SHARP_MS);
        return;
      }
      const facts = shown.current?.header.framing;
      if (!facts?.plane) return ask(true);
      const [l, t, w, h] = facts.plane;
      const [al, at, aw, ah] = roomFor(facts);
      const off = Math.max(Math.abs(l - al), Math.abs(t - at), Math.abs(w - aw), Math.abs(h - ah));
      if (off > 0.004 * Math.max(w, h) || reduced.current) ask(true);
      else setSettling(false);
    };
    settle.current = setTimeout(rest, SETTLE_MS);
  }, [draft, compare, tool, ask, latest]);

  useEffect(() => {
    const set = (e: PointerEvent) => {
      pressed.current = e.type === "pointerdown";
      // let go: the sharp picture at once, after what the hand held has been set; in its place too, where no hand is on it
      const onIt = holder.current?.contains(e.target as Node) === true;
      if (!pressed.current) setTimeout(() => quick.current && ask(!onIt, true));
    };
    const kinds = ["pointerdown", "pointerup", "pointercancel"] as const;
    for (const kind of kinds) window.addEventListener(kind, set, true);
    return () => {
      for (const kind of kinds) window.removeEventListener(kind, set, true);
    };
  }, [ask]);

  useLayoutEffect(() => {
    const parent = holder.current;
    const element = canvas.current;
    if (!parent || !element) return;
    const observer = new ResizeObserver(() => {
      element.width = Math.round(parent.clientWidth * density());
      element.height = Math.round(parent.clientHeight * density());
      setBox({ width: parent.clientWidth, height: parent.clientHeight });
      draw();
      ask(true);
    });
    observer.observe(parent);
    return () => observer.disconnect();
  }, [draw, ask]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: the surround is read while drawing
  useEffect(draw, [draw, surround]);

  const at: PlanePlacement | null = plane ? placePlane(plane, box, MARGIN) : null;
  return (
    <div ref={holder} className="absolute inset-0 overflow-hidden" data-testid="plane" aria-busy={late || settling}>
      <div
        className="absolute inset-0 overflow-hidden"
        style={{ background: SURROUNDS[surround] }}
        role="img"
        aria-label={`${frame.name}, the whole picture with its crop`}
      >
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
        <canvas ref={small} className="pointer-events-none invisible absolute max-w-none" />
      </div>
      {at && compare !== "original" && <Over frame={frame} at={at} box={box} surround={SURROUNDS[surround]} />}
      <Refusal />
    </div>
  );
}

function Refusal() {
  const refusal = useFraming((s) => s.refusal);
  if (!refusal) return null;
  return (
    <p
      role="alert"
      className="absolute left-1/2 top-2 max-w-[80%] -translate-x-1/2 rounded-[2px] bg-ink px-2.5 py-1 text-sm text-white"
    >
      {refusal}
    </p>
  );
}
