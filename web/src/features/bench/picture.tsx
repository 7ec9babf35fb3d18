import { useCallback, useEffect, useMemo, useRef } from "react";
import { api, type Frame, need, offlineSafe } from "../../api/client";
import type { Recipe } from "../../api/generated/recipe";
import { fetchView, type View } from "../../api/view";
import { Latest } from "../../canvas/latest";
import { type Layer, Painter } from "../../canvas/painter";
import { HandTool, type Intention, PickTool, type PointerInput, SplitTool } from "../../canvas/tools";
import { panned, place, type RequestWindow, type Size, scaleOf, windowInSight, zoomAt } from "../../canvas/viewport";
import { SURROUNDS, useBench } from "../../state/bench";
import { complain } from "../../state/notices";

interface Ask {
  frame: number;
  recipe: Recipe | null;
  window: RequestWindow;
  clipping: boolean;
  whole: boolean;
  which: "adjusted" | "original";
  since: number;
}

const density = () => window.devicePixelRatio || 1;

/** The picture on its surround. Drawing and tools live in canvas/; this wires them to the store and the server. */
export function Picture({ frame, onNeutral }: { frame: Frame; onNeutral: (kelvin: number, tint: number) => void }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const layers = useRef<{ adjusted: Layer; original: Layer }>({
    adjusted: { whole: null, part: null },
    original: { whole: null, part: null },
  });
  const marker = useRef<{ x: number; y: number; radius: number } | null>(null);
  const hover = useRef<{ x: number; y: number } | null>(null);
  const painter = useRef<Painter | null>(null);
  const picture = useMemo(
    () => ({ width: frame.capture.width, height: frame.capture.height }),
    [frame.capture.width, frame.capture.height],
  );
  const redrawAsked = useRef(false);

  const redraw = useCallback(() => {
    if (redrawAsked.current) return;
    redrawAsked.current = true;
    requestAnimationFrame(() => {
      redrawAsked.current = false;
      const element = canvas.current;
      if (!element) return;
      painter.current ??= new Painter(element, density);
      const s = useBench.getState();
      painter.current.draw({
        viewport: s.viewport,
        picture,
        adjusted: layers.current.adjusted,
        original: layers.current.original,
        compare: s.compare,
        split: s.split,
        warnings: s.warnings,
        surround: SURROUNDS[s.surround],
      });
      drawMarker(element, marker.current);
    });
  }, [picture]);

  const latest = useMemo(() => {
    const send = (ask: Ask, signal: AbortSignal) => fetchView(ask.frame, ask.recipe, ask.window, ask.clipping, signal);
    const show = (view: View, ask: Ask) => {
      if (useBench.getState().frame !== ask.frame) return;
      const layer = layers.current[ask.which];
      if (ask.whole) {
        layer.whole = view;
        layer.part = null;
      } else layer.part = view;
      if (ask.which === "adjusted")
        useBench.setState({ header: view.header, drawMs: Math.round(performance.now() - ask.since) });
      redraw();
    };
    const fail = (error: unknown) => complain(error);
    return {
      adjusted: new Latest<Ask, View>(send, show, fail),
      original: new Latest<Ask, View>(send, show, fail),
    };
  }, [redraw]);

  const request = useCallback(
    (which: "adjusted" | "original") => {
      const element = canvas.current;
      const s = useBench.getState();
      if (!element || s.frame !== frame.id || !s.draft || element.width < 2) return;
      const inSight = windowInSight(s.viewport, element, picture, density());
      const layer = layers.current[which];
      const whole = s.viewport.zoom === "fit";
      const ask = (window: RequestWindow, isWhole: boolean): Ask => ({
        frame: frame.id,
        recipe: which === "original" ? null : s.draft,
        window,
        clipping: which === "adjusted" && s.warnings,
        whole: isWhole,
        which,
        since: performance.now(),
      });
      if (whole || !layer.whole) {
        const fit = windowInSight({ zoom: "fit", centreX: 0.5, centreY: 0.5 }, element, picture, density());
        latest[which].ask(ask(fit, true));
      }
      if (!whole) latest[which].ask(ask(inSight, false));
    },
    [frame.id, latest, picture],
  );

  const readPixel = useMemo(() => throttledPixel(frame.id, () => hover.current), [frame.id]);

  // a new frame: nothing of the old one may be seen; the camera's own preview comes first. The frame's facts may be asked
  // for again at any time (a job changed them): that is no new frame.
  const id = frame.id;
  const embedded = frame.raw && frame.thumb_state !== "none";
  useEffect(() => {
    layers.current = { adjusted: { whole: null, part: null }, original: { whole: null, part: null } };
    marker.current = null;
    let current = true;
    void previewOf(id, embedded, picture).then((view) => {
      if (!current || !view || layers.current.adjusted.whole) return;
      layers.current.adjusted.whole = view;
      redraw();
    });
    redraw();
    request("adjusted");
    return () => {
      current = false;
      latest.adjusted.stop();
      latest.original.stop();
    };
  }, [id, embedded, picture, latest, redraw, request]);

  useEffect(
    () =>
      useBench.subscribe((s, before) => {
        if (s.draft && s.draft !== before.draft) {
          request("adjusted");
          if (hover.current) readPixel();
        }
        if (s.viewport !== before.viewport || s.warnings !== before.warnings) {
          layers.current.adjusted.part = s.viewport.zoom === "fit" ? null : layers.current.adjusted.part;
          layers.current.original.part = s.viewport.zoom === "fit" ? null : layers.current.original.part;
          request("adjusted");
          if (s.compare !== "none") request("original");
        }
        if (s.compare !== before.compare && s.compare !== "none") request("original");
        if (s.compare !== before.compare || s.split !== before.split || s.surround !== before.surround) redraw();
        if (s.viewport !== before.viewport) redraw();
        if (s.picking !== before.picking && !s.picking) {
          marker.current = null;
          redraw();
        }
      }),
    [request, redraw, readPixel],
  );

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
      request("adjusted");
      if (useBench.getState().compare !== "none") request("original");
    });
    observer.observe(parent);
    return () => observer.disconnect();
  }, [redraw, request]);

  const tools = useMemo(() => {
    const hand = new HandTool();
    return {
      hand,
      pick: new PickTool(),
      split: new SplitTool(
        () => useBench.getState().split * (canvas.current?.width ?? 0),
        () => 8 * density(),
        hand,
      ),
    };
  }, []);
  const tool = () => {
    const s = useBench.getState();
    return s.picking ? tools.pick : s.compare === "split" ? tools.split : tools.hand;
  };

  const toPicture = (x: number, y: number) => {
    const element = canvas.current as HTMLCanvasElement;
    const at = place(useBench.getState().viewport, element, picture, density());
    return { x: Math.floor((x - at.left) / at.scale), y: Math.floor((y - at.top) / at.scale), scale: at.scale };
  };

  const carryOut = async (intention: Intention) => {
    const element = canvas.current;
    if (!element) return;
    const s = useBench.getState();
    switch (intention.do) {
      case "pan":
        useBench.setState({
          viewport: panned(s.viewport, intention.dx, intention.dy, element, picture, density()),
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
        try {
          const found = await need(
            api.POST("/api/frames/{id}/neutral", {
              params: { path: { id: frame.id } },
              body: { x: at.x, y: at.y, radius },
            }),
          );
          onNeutral(found.temperature_kelvin, found.tint);
          useBench.setState({ picking: false });
        } catch (error) {
          complain(error);
        }
        marker.current = null;
        redraw();
        break;
      }
      default:
        break;
    }
  };

  const input = (e: React.PointerEvent<HTMLCanvasElement>, kind: PointerInput["kind"]): PointerInput => {
    const box = e.currentTarget.getBoundingClientRect();
    return { kind, x: (e.clientX - box.left) * density(), y: (e.clientY - box.top) * density() };
  };

  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      const s = useBench.getState();
      const scale = scaleOf(s.viewport, element, picture, density());
      const zoom = scale * 2 ** (-Math.max(-60, Math.min(e.deltaY, 60)) / 160);
      // stop for a moment at one to one, so that it can be hit with the wheel
      const stopped = (scale - density()) * (zoom - density()) < 0 ? density() : zoom;
      useBench.setState({
        viewport: zoomAt(
          s.viewport,
          stopped,
          e.offsetX * density(),
          e.offsetY * density(),
          element,
          picture,
          density(),
        ),
      });
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, [picture]);

  const picking = useBench((s) => s.picking);
  return (
    <canvas
      ref={canvas}
      className="absolute inset-0 h-full w-full touch-none"
      style={{ cursor: picking ? "crosshair" : "default" }}
      role="img"
      aria-label={`${frame.name}, developed picture`}
      data-testid="picture"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        void carryOut(tool().handle(input(e, "down")));
      }}
      onPointerMove={(e) => {
        const at = input(e, "move");
        const where = toPicture(at.x, at.y);
        const inside = where.x >= 0 && where.y >= 0 && where.x < picture.width && where.y < picture.height;
        hover.current = inside ? { x: where.x, y: where.y } : null;
        readPixel();
        void carryOut(tool().handle(at));
      }}
      onPointerUp={(e) => void carryOut(tool().handle(input(e, "up")))}
      onPointerCancel={(e) => void carryOut(tool().handle(input(e, "cancel")))}
      onPointerLeave={() => {
        hover.current = null;
        readPixel();
      }}
      onDoubleClick={(e) => {
        if (useBench.getState().picking) return;
        const element = e.currentTarget;
        const s = useBench.getState();
        const box = element.getBoundingClientRect();
        const zoom = s.viewport.zoom === "fit" ? density() : 0;
        useBench.setState({
          viewport: zoomAt(
            s.viewport,
            zoom,
            (e.clientX - box.left) * density(),
            (e.clientY - box.top) * density(),
            element,
            picture,
            density(),
          ),
        });
      }}
    />
  );
}

function drawMarker(element: HTMLCanvasElement, at: { x: number; y: number; radius: number } | null): void {
  const context = element.getContext("2d");
  if (!context || !at) return;
  for (const [style, width] of [
    ["#f6f6f6", 4],
    ["#161616", 2],
  ] as const) {
    context.strokeStyle = style;
    context.lineWidth = width * density();
    context.strokeRect(at.x - at.radius, at.y - at.radius, 2 * at.radius, 2 * at.radius);
  }
}

/** The camera's own picture as a stand-in until ours is there. */
async function previewOf(frame: number, embedded: boolean, picture: Size): Promise<View | null> {
  if (!embedded) return null;
  try {
    const response = await offlineSafe(() => fetch(`/api/frames/${frame}/preview`));
    const image = await createImageBitmap(await response.blob());
    const { width, height } = image;
    const header = {
      scaled_width: width,
      scaled_height: height,
      x: 0,
      y: 0,
      width,
      height,
      full_width: picture.width,
      full_height: picture.height,
      histogram: [],
      clipped: [0, 0, 0] as [number, number, number],
      render_ms: 0,
      picture_bytes: 0,
      clipping_bytes: 0,
      as_shot: { temperature_kelvin: 0, tint: 0 },
      notes: [],
    };
    return { header, picture: image, clipping: null };
  } catch {
    return null; // no stand-in, then: the picture itself is on its way
  }
}

/** Asks for the values under the pointer, one request at a time, the newest place only. */
function throttledPixel(frame: number, where: () => { x: number; y: number } | null): () => void {
  let busy = false;
  let again = false;
  const run = async () => {
    const at = where();
    const recipe = useBench.getState().draft;
    if (!at || !recipe) {
      useBench.setState({ pixel: null });
      return;
    }
    if (busy) {
      again = true;
      return;
    }
    busy = true;
    try {
      const pixel = await need(
        api.POST("/api/frames/{id}/pixel", {
          params: { path: { id: frame } },
          body: { ...at, radius: 0, recipe: recipe as unknown as Record<string, never> },
        }),
      );
      if (where() && useBench.getState().frame === frame) useBench.setState({ pixel });
    } catch {
      useBench.setState({ pixel: null });
    }
    busy = false;
    if (again) {
      again = false;
      void run();
    }
  };
  return () => void run();
}
