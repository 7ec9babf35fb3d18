import { type PointerEvent, useRef, useState } from "react";
import type { Judged } from "./judgement";

interface Props {
  judged: Judged;
  whole: boolean;
  /** Outlines of what moved are drawn over it. */
  outlined: boolean;
  /** So are places that frames share, and how far they lie apart. */
  pointed: boolean;
  /** What it would be without what the merge is made for is shown instead. */
  before: boolean;
  /** The region that is pointed at. */
  region: number | null;
  onRegion: (number: number) => void;
  /** What a drag turns the view by, in degrees to the right and down; null where there is nothing to turn. */
  onTurn: ((right: number, down: number) => void) | null;
  /** How wide strokes are (half, in widths of the picture) while something is painted; null else. */
  brush: number | null;
  /** A stroke that was drawn, in shares of width and height. */
  onStroke: (points: [number, number][]) => void;
}

const LEAST_DRAG_PX = 3;

const path = (lines: readonly (readonly [number, number])[][], w: number, h: number): string =>
  lines.map((line) => `M${line.map(([x, y]) => `${(x * w).toFixed(1)} ${(y * h).toFixed(1)}`).join("L")}Z`).join("");

/** How the master would look, with what moved hatched on it. */
export function MergePicture({
  judged,
  whole,
  outlined,
  pointed,
  before,
  region,
  onRegion,
  onTurn,
  brush,
  onStroke,
}: Props) {
  const { width: w, height: h } = judged;
  const grip = useRef<{ x: number; y: number; scale: number } | null>(null);
  const [stroke, setStroke] = useState<[number, number][] | null>(null);
  const [away, setAway] = useState<{ of: string; x: number; y: number } | null>(null);
  // a picture that was dragged stays there until the one that was asked for is here
  const shift = away?.of === judged.preview ? away : null;
  const share = (e: PointerEvent): [number, number] => {
    const box = e.currentTarget.getBoundingClientRect();
    return [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
  };
  const degrees = (px: number, scale: number) => {
    const canvas = judged.size?.[0] ?? w;
    return (Math.atan((px * scale * canvas) / w / (judged.focal_px ?? canvas)) * 180) / Math.PI;
  };
  return (
    <div className={whole ? "h-full w-full p-4" : "h-full w-full overflow-auto"}>
      <div className={whole ? "flex h-full w-full items-center justify-center [container-type:size]" : undefined}>
        <div
          className={`relative shrink-0 ${onTurn || brush ? "touch-none select-none overflow-hidden" : ""} ${brush ? "cursor-crosshair" : onTurn ? "cursor-move" : ""}`}
          onPointerDown={(e) => {
            if (!(onTurn || brush) || e.button !== 0) return;
            e.preventDefault();
            e.currentTarget.setPointerCapture(e.pointerId);
            if (brush) return setStroke([share(e)]);
            grip.current = { x: e.clientX, y: e.clientY, scale: w / e.currentTarget.getBoundingClientRect().width };
          }}
          onPointerMove={(e) => {
            if (stroke) setStroke([...stroke, share(e)]);
            else if (grip.current)
              setAway({ of: judged.preview, x: e.clientX - grip.current.x, y: e.clientY - grip.current.y });
          }}
          onPointerUp={(e) => {
            if (stroke) {
              setStroke(null);
              return onStroke(stroke);
            }
            const from = grip.current;
            grip.current = null;
            if (!from || !onTurn) return;
            const [x, y] = [e.clientX - from.x, e.clientY - from.y];
            if (Math.hypot(x, y) < LEAST_DRAG_PX) setAway(null);
            else onTurn(degrees(x, from.scale), degrees(y, from.scale));
          }}
          onPointerCancel={() => {
            grip.current = null;
            setStroke(null);
            setAway(null);
          }}
          style={
            whole
              ? { aspectRatio: `${w} / ${h}`, width: `min(${w}px, 100cqw, calc(100cqh * ${w / h}))` }
              : { width: w, height: h }
          }
        >
          <img
            src={`/api/merges/previews/${judged.preview}`}
            alt={`The merge of ${judged.frames.filter((f) => f.takes_part).length} frames`}
            className="absolute inset-0 h-full w-full"
            style={shift ? { transform: `translate(${shift.x}px, ${shift.y}px)` } : undefined}
            draggable={false}
          />
          {before && judged.before && (
            <img
              src={`/api/merges/previews/${judged.before}`}
              alt="Before: what it would be without the merge's work"
              className="absolute inset-0 h-full w-full"
              style={shift ? { transform: `translate(${shift.x}px, ${shift.y}px)` } : undefined}
              draggable={false}
            />
          )}
          {outlined && !before && judged.depth && (
            <img
              src={`/api/merges/previews/${judged.depth}`}
              alt="The depth map: the first frame dark, the last light"
              className="absolute inset-0 h-full w-full"
              draggable={false}
            />
          )}
          {stroke && brush && (
            <svg viewBox={`0 0 ${w} ${h}`} className="absolute inset-0 h-full w-full" role="presentation">
              <polyline
                points={(stroke.length > 1 ? stroke : [...stroke, ...stroke])
                  .map(([x, y]) => `${x * w},${y * h}`)
                  .join(" ")}
                fill="none"
                stroke="#f0a020"
                strokeOpacity={0.5}
                strokeWidth={2 * brush * w}
                strokeLinecap="round"
                strokeLinejoin="round"
              />
            </svg>
          )}
          {!shift && (outlined || pointed) && (
            <svg viewBox={`0 0 ${w} ${h}`} className="absolute inset-0 h-full w-full" role="presentation">
              <defs>
                <pattern id="hatch" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
                  <rect width="7" height="7" fill="#d98e04" fillOpacity="0.3" />
                  <rect width="2" height="7" fill="#d98e04" fillOpacity="0.75" />
                </pattern>
              </defs>
              {outlined && judged.seams.length > 0 && (
                <path
                  d={path([judged.seams].flat(), w, h)}
                  fill="none"
                  stroke="#f0a020"
                  strokeWidth={1.5}
                  vectorEffect="non-scaling-stroke"
                />
              )}
              {pointed &&
                judged.points.map(([x, y, apart], i) => (
                  <circle
                    // biome-ignore lint/suspicious/noArrayIndexKey: places have no names and never change order
                    key={i}
                    cx={x * w}
                    cy={y * h}
                    r={Math.max(w / 500, 2)}
                    fill={apart > 1 ? "#c8372d" : "#f4f1ea"}
                    stroke="#161616"
                    strokeWidth={1}
                    vectorEffect="non-scaling-stroke"
                  >
                    <title>{`${apart.toFixed(2)} px apart`}</title>
                  </circle>
                ))}
              {(outlined ? (judged.regions ?? []) : []).map((r) => (
                // biome-ignore lint/a11y/noStaticElementInteractions: the list beside the picture does the same by keyboard
                <path
                  key={r.number}
                  d={path(judged.outlines[String(r.number)] ?? [], w, h)}
                  fill={before ? "transparent" : "url(#hatch)"}
                  stroke={region === r.number ? "#fff" : "#161616"}
                  strokeWidth={region === r.number ? 3 : 1.5}
                  vectorEffect="non-scaling-stroke"
                  onClick={() => onRegion(r.number)}
                />
              ))}
            </svg>
          )}
        </div>
      </div>
    </div>
  );
}
