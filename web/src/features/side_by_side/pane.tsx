import { type PointerEvent, useEffect, useRef, useState } from "react";
import { type Frame, readVersion } from "../../api/client";
import type { components } from "../../api/generated/api";
import type { Recipe } from "../../api/generated/recipe";
import { FIT, panned, scaleOf, type Viewport, zoomAt } from "../../canvas/viewport";
import { complain } from "../../state/notices";
import { MARK_WORDS, Stars } from "../../ui/marks";
import { exposureTime } from "../../ui/number";
import { density } from "../bench/picture_zoom";
import { PaneViews } from "./pane_views";

type Row = components["schemas"]["SideRowOut"];

interface Props {
  frame: Frame;
  number: number;
  current: boolean;
  viewport: Viewport;
  setViewport: (view: Viewport) => void;
  measured: Row | undefined;
  onCurrent: () => void;
  onOpen: () => void;
  onClose: (() => void) | undefined;
}

/** One of the frames side by side: its picture under the shared zoom, its marks and figures. */
export function Pane({ frame, number, current, viewport, setViewport, measured, onCurrent, onOpen, onClose }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const views = useRef<PaneViews | null>(null);
  const [recipe, setRecipe] = useState<Recipe | null>(null);
  const view = useRef(viewport);
  view.current = viewport;
  const { id, version, width, height } = frame;

  // biome-ignore lint/correctness/useExhaustiveDependencies: another small picture means that the recipe has changed
  useEffect(() => {
    let wanted = true;
    readVersion(version)
      .then((state) => wanted && setRecipe(state.recipe))
      .catch(complain);
    return () => {
      wanted = false;
    };
  }, [version, frame.thumb]);

  useEffect(() => {
    const element = canvas.current;
    const parent = element?.parentElement;
    if (!element || !parent || !recipe) return;
    const mine = new PaneViews(element, { id, width, height }, recipe, () => view.current, `side${number}`);
    views.current = mine;
    const measure = () => {
      element.width = Math.round(parent.clientWidth * density());
      element.height = Math.round(parent.clientHeight * density());
      mine.request();
    };
    const observer = new ResizeObserver(measure);
    observer.observe(parent);
    return () => {
      observer.disconnect();
      mine.close();
    };
  }, [id, width, height, recipe, number]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a zoom or a place that changed is asked for anew
  useEffect(() => views.current?.request(), [viewport]);

  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    // React's wheel listeners are passive: the page would scroll along
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      const picture = views.current?.picture;
      if (!picture) return;
      const box = element.getBoundingClientRect();
      const scale = scaleOf(view.current, element, picture, density());
      const x = (e.clientX - box.left) * density();
      const y = (e.clientY - box.top) * density();
      setViewport(zoomAt(view.current, scale * 2 ** (-e.deltaY / 300), x, y, element, picture, density()));
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, [setViewport]);

  const drag = (e: PointerEvent<HTMLCanvasElement>) => {
    const element = e.currentTarget;
    if (!element.hasPointerCapture(e.pointerId) || !views.current) return;
    const d = density();
    setViewport(panned(view.current, e.movementX * d, e.movementY * d, element, views.current.picture, d));
  };
  const figures = measured
    ? [
        measured.sharpness === null ? "" : `sharpness ${measured.sharpness} %`,
        measured.exposure_ev === null
          ? measured.reason || "another subject"
          : number === 0
            ? "the first"
            : `${measured.exposure_ev < 0 ? "\u2212" : "+"}${Math.abs(measured.exposure_ev).toFixed(2)} EV`,
      ].filter(Boolean)
    : ["measuring"];
  const sharpest = measured?.sharpness === 100;
  return (
    <section
      aria-label={frame.name}
      aria-current={current ? "true" : undefined}
      className={`flex min-h-0 min-w-0 flex-col border-2 ${current ? "border-ink" : "border-transparent"}`}
    >
      <div className="relative min-h-0 grow bg-surround">
        <canvas
          ref={canvas}
          onPointerDown={(e) => {
            onCurrent();
            e.currentTarget.setPointerCapture(e.pointerId);
          }}
          onPointerMove={drag}
          onDoubleClick={(e) => {
            const picture = views.current?.picture;
            if (!picture) return;
            const box = e.currentTarget.getBoundingClientRect();
            const d = density();
            const [x, y] = [(e.clientX - box.left) * d, (e.clientY - box.top) * d];
            setViewport(viewport.zoom === "fit" ? zoomAt(viewport, d, x, y, e.currentTarget, picture, d) : FIT);
          }}
          className="absolute inset-0 h-full w-full"
        />
      </div>
      <div
        className={`flex h-7 shrink-0 items-center gap-2.5 whitespace-nowrap px-2 text-sm ${current ? "bg-white" : "bg-sheet"}`}
      >
        <button type="button" onClick={onOpen} className="font-semibold hover:underline" title="Open on the bench">
          {frame.name.replace(/\.[^.]+$/, "")}
        </button>
        {frame.mark && <span className="font-medium text-wax">{MARK_WORDS[frame.mark]}</span>}
        <Stars count={frame.stars} />
        <span className="truncate text-xs text-ink2">
          {exposureTime(frame.exposure_time_s)} {frame.f_number ? `f/${frame.f_number}` : ""}
        </span>
        <span className="grow" />
        <span className={`truncate text-xs ${sharpest ? "font-semibold text-ink" : "text-ink2"}`}>
          {figures.join(" \u00b7 ")}
        </span>
        {onClose && (
          <button
            type="button"
            aria-label={`Take ${frame.name} away`}
            onClick={onClose}
            className="h-6 w-6 text-ink2 hover:text-ink"
          >
            {"\u00d7"}
          </button>
        )}
      </div>
    </section>
  );
}
