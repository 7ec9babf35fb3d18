import { type ReactNode, type RefObject, useEffect, useRef, useState } from "react";
import type { Frame } from "../../../api/client";
import { type Placement, place, type Size } from "../../../canvas/viewport";
import { useBench } from "../../../state/bench";
import { density } from "../picture_zoom";

/** What every layer over the picture needs: where the picture lies, in CSS pixels. */
export interface OnScreen {
  frame: Frame;
  /** Left, top and screen pixels per full-size picture pixel, in CSS pixels. */
  at: Placement;
  picture: Size;
}

/** Lays drawing tools over the picture while there are any; they stand aside while it is compared. */
export function OverPicture({
  frame,
  working,
  children,
}: {
  frame: Frame;
  working: boolean;
  children: (screen: OnScreen) => ReactNode;
}) {
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const viewport = useBench((s) => s.viewport);
  const compare = useBench((s) => s.compare);
  const width = useBench((s) => s.header?.full_width ?? 0);
  const height = useBench((s) => s.header?.full_height ?? 0);
  if (!working || width === 0 || compare !== "none" || size.width === 0)
    return <div ref={box} className="pointer-events-none absolute inset-0" />;
  const d = density();
  const device = place(viewport, { width: size.width * d, height: size.height * d }, { width, height }, d);
  const at = { scale: device.scale / d, left: device.left / d, top: device.top / d };
  return (
    <div ref={box} className="pointer-events-none absolute inset-0 overflow-hidden">
      <Wheel box={box} />
      {children({ frame, at, picture: { width, height } })}
    </div>
  );
}

/** The wheel zooms through the tools as it does without them. */
function Wheel({ box }: { box: RefObject<HTMLDivElement | null> }) {
  const canvas = useRef<HTMLCanvasElement | null>(null);
  useEffect(() => {
    canvas.current = document.querySelector<HTMLCanvasElement>("[data-testid=picture]");
    const element = box.current;
    const forward = (e: WheelEvent) => {
      e.preventDefault();
      const under = canvas.current;
      if (!under) return;
      under.dispatchEvent(
        new WheelEvent("wheel", { deltaY: e.deltaY, clientX: e.clientX, clientY: e.clientY, cancelable: true }),
      );
    };
    element?.addEventListener("wheel", forward, { passive: false });
    return () => element?.removeEventListener("wheel", forward);
  }, [box]);
  return null;
}

function useSize(box: RefObject<HTMLElement | null>): Size {
  const [size, setSize] = useState<Size>({ width: 0, height: 0 });
  useEffect(() => {
    const parent = box.current?.parentElement;
    if (!parent) return;
    const observer = new ResizeObserver(() => setSize({ width: parent.clientWidth, height: parent.clientHeight }));
    observer.observe(parent);
    return () => observer.disconnect();
  }, [box]);
  return size;
}
