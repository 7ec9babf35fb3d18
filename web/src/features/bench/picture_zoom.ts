import { type RefObject, useEffect } from "react";
import { type Size, scaleOf, zoomAt } from "../../canvas/viewport";
import { useBench } from "../../state/bench";

export const density = () => window.devicePixelRatio || 1;

/** Room that one rendering of the picture has: half of the canvas when two stand side by side. */
export function roomOf(element: HTMLCanvasElement): Size {
  const half = useBench.getState().compare === "side";
  return { width: half ? Math.round(element.width / 2) : element.width, height: element.height };
}

/** The wheel zooms to the pointer. Listened to by hand: React's own listener may not hold the page back from scrolling. */
export function useWheelZoom(canvas: RefObject<HTMLCanvasElement | null>, picture: Size): void {
  useEffect(() => {
    const element = canvas.current;
    // the canvas may be hidden while a reduced picture stands for it: then it is no target, what it lies in is
    const ground = element?.parentElement;
    if (!element || !ground) return;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      const s = useBench.getState();
      const side = s.compare === "side" && e.offsetX * density() >= Math.round(element.width / 2);
      const x = e.offsetX * density() - (side ? Math.round(element.width / 2) : 0);
      const scale = scaleOf(s.viewport, roomOf(element), picture, density());
      const zoom = scale * 2 ** (-Math.max(-60, Math.min(e.deltaY, 60)) / 160);
      // stop for a moment at one to one, so that it can be hit with the wheel
      const stopped = (scale - density()) * (zoom - density()) < 0 ? density() : zoom;
      useBench.setState({
        viewport: zoomAt(s.viewport, stopped, x, e.offsetY * density(), roomOf(element), picture, density()),
      });
    };
    ground.addEventListener("wheel", wheel, { passive: false });
    return () => ground.removeEventListener("wheel", wheel);
  }, [canvas, picture]);
}
