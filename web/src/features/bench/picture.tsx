import { useCallback, useEffect, useMemo, useRef } from "react";
import { api, type Frame, need } from "../../api/client";
import type { Recipe } from "../../api/generated/recipe";
import { Enlarged } from "../../canvas/enlarged";
import { drawLoupe, drawMarker, drawSamplers } from "../../canvas/overlay";
import { Pace } from "../../canvas/pace";
import { Painter } from "../../canvas/painter";
import { DragTool, HandTool, type Intention, PickTool, type PointerInput, SplitTool } from "../../canvas/tools";
import { panned, place, type Size, zoomAt } from "../../canvas/viewport";
import { SURROUNDS, useBench } from "../../state/bench";
import { equal } from "../../state/equal";
import { complain } from "../../state/notices";
import { whenAnswered } from "../../state/turns";
import { type KeyCentre, pickerKey, startToneDrag, type ToneDrag, throttledPixel } from "./picture_data";
import { PictureViews } from "./picture_views";
import { density, roomOf, useWheelZoom } from "./picture_zoom";

/** Changes that follow each other faster are a moving hand too: a key held down. */
const QUICK_STEPS_MS = 180;

export type Save = (change: (recipe: Recipe) => Recipe) => void;

/** The picture on its surround. Drawing and tools live in canvas/; this wires them to the store and the server. */
export function Picture({
  frame,
  onNeutral,
  onKey,
}: {
  frame: Frame;
  onNeutral: (save: Save, kelvin: number, tint: number) => void;
  onKey: (save: Save, centre: KeyCentre) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const small = useRef<HTMLCanvasElement>(null);
  const enlarged = useRef<Enlarged | null>(null);
  const views = useRef<PictureViews | null>(null);
  const marker = useRef<{ x: number; y: number; radius: number } | null>(null);
  const hover = useRef<{ x: number; y: number } | null>(null);
  const pointerAt = useRef<{ x: number; y: number } | null>(null);
  const painter = useRef<Painter | null>(null);
  // the finished picture's size is known when its first view has come; until then the file's stands in. One object for the
  // life of this component: everything that draws or asks reads it when it is needed.
  const picture = useRef<Size>({ width: frame.width, height: frame.height }).current;
  const pace = useRef(new Pace()).current;
  const redrawAsked = useRef(false);

  const draw = useCallback(() => {
    const element = canvas.current;
    if (!element || !small.current || !views.current) return;
    painter.current ??= new Painter(element, density);
    enlarged.current ??= new Enlarged(element, small.current, density);
    const s = useBench.getState();
    const { loupe } = views.current;
    const scene = {
      viewport: s.viewport,
      picture,
      ...views.current.layers,
      compare: s.compare,
      split: s.split,
      warnings: s.warnings,
      surround: SURROUNDS[s.surround],
    };
    const over = marker.current !== null || s.samplers.length > 0 || (s.magnifier && loupe !== null);
    const reduced = over ? null : painter.current.reduced(scene);
    if (reduced) return enlarged.current.show(reduced);
    enlarged.current.hide();
    painter.current.draw(scene);
    drawMarker(element, marker.current, density());
    const at = place(s.viewport, roomOf(element), picture, density());
    const shift = s.compare === "side" ? Math.round(element.width / 2) : 0;
    drawSamplers(element, s.samplers, { ...at, left: at.left + shift }, density());
    if (s.magnifier && loupe && pointerAt.current) drawLoupe(element, loupe.picture, pointerAt.current, density());
  }, [picture]);
  const redraw = useCallback(() => {
    if (redrawAsked.current) return;
    redrawAsked.current = true;
    requestAnimationFrame(() => {
      redrawAsked.current = false;
      draw();
    });
  }, [draw]);

  const readPixel = useMemo(() => throttledPixel(frame.id, () => hover.current), [frame.id]);

  // a new frame: nothing of the old one may be seen; the camera's own preview comes first. The frame's facts may be asked
  // for again at any time (a job changed them): that is no new frame.
  const id = frame.id;
  const size = useRef<Size>(frame);
  size.current = frame;
  const embedded = frame.raw && frame.thumb_state !== "none";
  const raw = frame.raw;
  useEffect(() => {
    picture.width = size.current.width;
    picture.height = size.current.height;
    marker.current = null;
    const mine = new PictureViews({ id, raw }, () => canvas.current, picture, draw, pace);
    views.current = mine;
    void mine.standIn(embedded);
    redraw();
    mine.request("adjusted");
    return () => mine.close();
  }, [id, raw, embedded, picture, pace, draw, redraw]);

  useEffect(() => {
    let changedAt = 0;
    /** A change soon after another one is a moving hand too: a key held down, a pan. */
    const quick = () => {
      const since = performance.now() - changedAt;
      changedAt = performance.now();
      return since < QUICK_STEPS_MS;
    };
    return useBench.subscribe((s, before) => {
      const v = views.current;
      if (!v) return;
      // what a hand held is saved when it lets go: the same recipe again, and no movement
      const moved = s.draft !== before.draft && !equal(s.draft, before.draft);
      if (s.draft && moved) {
        v.request("adjusted", quick() || s.moving);
        if (s.compare !== "none" && s.draft.framing !== before.draft?.framing) v.request("original");
        if (hover.current) readPixel();
      } else if (!s.moving && (before.moving || s.draft !== before.draft)) v.rested();
      const asked = (b: typeof s) => [
        b.warnings,
        b.warned,
        b.gamut,
        b.show,
        b.sensorScope,
        b.show === "reach" ? b.ownKey : b.show !== "picture" && b.openPass,
      ];
      if (!equal(asked(s), asked(before))) v.request("adjusted");
      const sided = (s.compare === "side") !== (before.compare === "side");
      if (s.viewport !== before.viewport || sided) {
        if (s.viewport.zoom === "fit") v.dropParts();
        const panning = quick() && s.viewport.zoom === before.viewport.zoom && s.frame === before.frame;
        v.request("adjusted", panning);
        if (s.compare !== "none") v.request("original", panning);
      }
      const other = s.compare !== before.compare || s.against !== before.against;
      if (other && s.compare !== "none") v.request("original");
      if (s.compare !== before.compare || s.split !== before.split || s.surround !== before.surround) redraw();
      if (s.viewport !== before.viewport) redraw();
      if (s.tool !== before.tool) {
        marker.current = null;
        redraw();
      }
      if (s.samplers !== before.samplers || s.magnifier !== before.magnifier) redraw();
      if (s.magnifier !== before.magnifier) v.askLoupe(hover.current);
    });
  }, [redraw, readPixel]);

  useEffect(() => {
    const element = canvas.current;
    const parent = element?.parentElement;
    if (!element || !parent) return;
    const observer = new ResizeObserver(() => {
      const width = Math.round(parent.clientWidth * density());
      const height = Math.round(parent.clientHeight * density());
      if (element.width === width && element.height === height) return;
      element.width = width;
      element.height = height;
      redraw();
      views.current?.request("adjusted");
      if (useBench.getState().compare !== "none") views.current?.request("original");
    });
    observer.observe(parent);
    return () => observer.disconnect();
  }, [redraw]);

  const tools = useMemo(() => {
    const hand = new HandTool();
    return {
      hand,
      pick: new PickTool(),
      tone: new DragTool(),
      split: new SplitTool(
        () => useBench.getState().split * (canvas.current?.width ?? 0),
        () => 8 * density(),
        hand,
      ),
    };
  }, []);
  const tool = () => {
    const s = useBench.getState();
    if (s.tool === "tone") return tools.tone;
    return s.tool !== "hand" ? tools.pick : s.compare === "split" ? tools.split : tools.hand;
  };

  const toPicture = (x: number, y: number) => {
    const element = canvas.current as HTMLCanvasElement;
    const at = place(useBench.getState().viewport, roomOf(element), picture, density());
    const half = Math.round(element.width / 2);
    if (useBench.getState().compare === "side" && x >= half) x -= half;
    return { x: Math.floor((x - at.left) / at.scale), y: Math.floor((y - at.top) / at.scale), scale: at.scale };
  };

  const toneDrag = useRef<ToneDrag | null>(null);
  const carryOut = async (intention: Intention) => {
    const element = canvas.current;
    if (!element) return;
    const s = useBench.getState();
    switch (intention.do) {
      case "pan":
        useBench.setState({
          viewport: panned(s.viewport, intention.dx, intention.dy, roomOf(element), picture, density()),
        });
        break;
      case "split":
        useBench.setState({ split: Math.min(Math.max(intention.x / element.width, 0.02), 0.98) });
        break;
      case "mark":
        marker.current = intention;
        redraw();
        break;
      case "pick": {
        const at = toPicture(intention.x, intention.y);
        const radius = Math.min(Math.max(Math.round(intention.radius / at.scale), 1), 50);
        if (!s.draft) break;
        const { save } = s.forThis();
        const params = { path: { id: frame.id } };
        const body = { x: at.x, y: at.y, radius, recipe: s.draft };
        try {
          if (s.tool === "key") {
            await whenAnswered(need(api.POST("/api/frames/{id}/key", { params, body })), (found) => onKey(save, found));
          } else {
            const asked = need(api.POST("/api/frames/{id}/neutral", { params, body }));
            await whenAnswered(asked, (found) => onNeutral(save, found.temperature_kelvin, found.tint));
          }
          if (useBench.getState().frame === frame.id) useBench.setState({ tool: "hand" });
        } catch (error) {
          complain(error);
        }
        marker.current = null;
        redraw();
        break;
      }
      case "tone":
        toneDrag.current?.(intention.dy / density(), intention.end);
        if (intention.end) toneDrag.current = null;
        break;
      case "tone start": {
        const at = toPicture(intention.x, intention.y);
        toneDrag.current = await startToneDrag(frame.id, at);
        break;
      }
      default:
        break;
    }
  };

  const input = (e: React.PointerEvent<HTMLDivElement>, kind: PointerInput["kind"]): PointerInput => {
    const box = e.currentTarget.getBoundingClientRect();
    return { kind, x: (e.clientX - box.left) * density(), y: (e.clientY - box.top) * density() };
  };

  useWheelZoom(canvas, picture);

  const current = useBench((s) => s.tool);
  const surround = useBench((s) => SURROUNDS[s.surround]);
  return (
    <div
      className="absolute inset-0 touch-none overflow-hidden"
      style={{
        background: surround,
        cursor: current === "hand" ? "default" : current === "tone" ? "ns-resize" : "crosshair",
      }}
      role="img"
      aria-label={`${frame.name}, developed picture`}
      tabIndex={current === "hand" ? -1 : 0}
      onKeyDown={(e) => {
        if (current !== "neutral" && current !== "key") return;
        if (!canvas.current) return;
        const { width, height } = canvas.current;
        const from = marker.current ?? { x: width / 2, y: height / 2, radius: 6 * density() };
        const next = pickerKey(e, from, density());
        if (!next) return;
        void carryOut(next);
        e.preventDefault();
        e.stopPropagation();
      }}
      onPointerDown={(e) => {
        if (e.altKey) {
          const at = input(e, "down");
          useBench.getState().pin(toPicture(at.x, at.y), picture);
          return;
        }
        e.currentTarget.setPointerCapture(e.pointerId);
        void carryOut(tool().handle(input(e, "down")));
      }}
      onPointerMove={(e) => {
        const at = input(e, "move");
        const where = toPicture(at.x, at.y);
        const inside = where.x >= 0 && where.y >= 0 && where.x < picture.width && where.y < picture.height;
        hover.current = inside ? { x: where.x, y: where.y } : null;
        pointerAt.current = inside ? at : null;
        useBench.setState({ hover: hover.current });
        readPixel();
        if (useBench.getState().magnifier) {
          views.current?.askLoupe(hover.current);
          redraw();
        }
        void carryOut(tool().handle(at));
      }}
      onPointerUp={(e) => void carryOut(tool().handle(input(e, "up")))}
      onPointerCancel={(e) => void carryOut(tool().handle(input(e, "cancel")))}
      onPointerLeave={() => {
        hover.current = null;
        pointerAt.current = null;
        useBench.setState({ hover: null });
        readPixel();
        if (useBench.getState().magnifier) redraw();
      }}
      onDoubleClick={(e) => {
        if (useBench.getState().tool !== "hand") return;
        const element = canvas.current;
        if (!element) return;
        const s = useBench.getState();
        const box = element.getBoundingClientRect();
        const zoom = s.viewport.zoom === "fit" ? density() : 0;
        useBench.setState({
          viewport: zoomAt(
            s.viewport,
            zoom,
            (e.clientX - box.left) * density(),
            (e.clientY - box.top) * density(),
            roomOf(element),
            picture,
            density(),
          ),
        });
      }}
    >
      <canvas ref={canvas} data-testid="picture" className="absolute inset-0 h-full w-full" />
      <canvas ref={small} className="pointer-events-none invisible absolute max-w-none" />
    </div>
  );
}
