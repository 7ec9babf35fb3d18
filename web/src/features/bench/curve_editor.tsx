import { memo, useEffect, useRef, useState } from "react";
import { evaluate, isStraight, type Point } from "../../canvas/curve";
import { Button, Choices } from "../../ui/controls";
import { clamp } from "../../ui/number";
import { NumberField } from "../../ui/number_field";
import { useEscape } from "../../ui/use_escape";

export type Channel = "luminance" | "rgb" | "red" | "green" | "blue";
const CHANNELS = [
  ["luminance", "lum."],
  ["rgb", "RGB"],
  ["red", "R"],
  ["green", "G"],
  ["blue", "B"],
] as const;
const INK: Record<Channel, string> = {
  luminance: "#161616",
  rgb: "#161616",
  red: "#a33a26",
  green: "#2f6b3c",
  blue: "#2c4c86",
};
const W = 264;
const H = 212;
const GAP = 0.004;
const STRAIGHT: Point[] = [
  [0, 0],
  [1, 1],
];

interface Props {
  curves: Record<Channel, Point[]>;
  histogram: number[] | null;
  /** One curve, without a choice of channels. */
  alone?: boolean;
  onDraft: (channel: Channel, points: Point[]) => void;
  onSet: (channel: Channel, points: Point[]) => void;
  onCancel: () => void;
}

/** Drawn again only when a curve or the histogram behind it changed. */
export const CurveEditor = memo(CurveEditorDrawn, (a, b) => {
  return a.histogram === b.histogram && CHANNELS.every(([channel]) => a.curves[channel] === b.curves[channel]);
});

/** A curve through exact points: press to add, drag to move, Delete takes a point away, numbers on a scale of 255. */
function CurveEditorDrawn({ curves, histogram, alone, onDraft, onSet, onCancel }: Props) {
  const [channel, setChannel] = useState<Channel>("rgb");
  const [chosen, setChosen] = useState<number | null>(null);
  const field = useRef<SVGSVGElement>(null);
  const held = useRef<{ index: number; points: Point[]; moved: boolean } | null>(null);
  const [holding, setHolding] = useState(false);
  /** A point that takes the keyboard once it is drawn. */
  const focusPoint = useRef<number | null>(null);
  const points = curves[channel];
  const ink = INK[channel];
  const current = chosen !== null && chosen < points.length ? chosen : null;
  const place = (e: { clientX: number; clientY: number }): Point => {
    const box = field.current?.getBoundingClientRect();
    if (!box) return [0, 0];
    return [clamp((e.clientX - box.left) / box.width, 0, 1), clamp(1 - (e.clientY - box.top) / box.height, 0, 1)];
  };
  const moved = (list: Point[], i: number, [x, y]: Point): Point[] => {
    const low = i > 0 ? (list[i - 1] as Point)[0] + GAP : 0;
    const high = i < list.length - 1 ? (list[i + 1] as Point)[0] - GAP : 1;
    return list.map((p, k) => (k === i ? [clamp(x, low, high), clamp(y, 0, 1)] : p));
  };
  const without = (i: number) => {
    if (points.length <= 2) return;
    setChosen(null);
    onSet(
      channel,
      points.filter((_, k) => k !== i),
    );
  };
  /** A point in the middle of the widest gap, on the line as it is: the keyboard's way to begin. */
  const add = () => {
    if (points.length >= 24) return;
    const gaps = points.slice(1).map((p, i) => p[0] - (points[i] as Point)[0]);
    const index = gaps.indexOf(Math.max(...gaps)) + 1;
    const x = ((points[index - 1] as Point)[0] + (points[index] as Point)[0]) / 2;
    const point: Point = [x, evaluate(points, x)];
    onSet(channel, [...points.slice(0, index), point, ...points.slice(index)]);
    setChosen(index);
    focusPoint.current = index;
  };
  useEffect(() => {
    if (focusPoint.current === null) return;
    field.current?.querySelectorAll<SVGRectElement>("rect")[focusPoint.current]?.focus();
    focusPoint.current = null;
  });
  useEscape(holding, () => {
    held.current = null;
    setHolding(false);
    onCancel();
  });
  const line = Array.from({ length: 133 }, (_, i) => {
    const x = i / 132;
    return `${i ? "L" : "M"}${(x * W).toFixed(1)} ${((1 - evaluate(points, x)) * H).toFixed(1)}`;
  }).join("");
  const chosenPoint = current !== null ? points[current] : undefined;
  return (
    <section aria-label="Curve" className="px-3.5 pt-1.5">
      <div className="mb-1.5 flex items-center justify-between">
        {alone ? (
          <span className="text-sm">Curve</span>
        ) : (
          <Choices label="Curve channel" value={channel} options={CHANNELS} onChange={setChannel} />
        )}
        {!isStraight(points) && (
          <Button
            quiet
            className="!h-6 !px-1"
            onClick={() => {
              setChosen(null);
              onSet(channel, STRAIGHT);
            }}
          >
            Straighten
          </Button>
        )}
      </div>
      <svg
        ref={field}
        viewBox={`0 0 ${W} ${H}`}
        className="block w-full touch-none border border-rule bg-white"
        style={{ aspectRatio: `${W}/${H}` }}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          const [x, y] = place(e);
          const box = e.currentTarget.getBoundingClientRect();
          const near = points.findIndex(([px, py]) => Math.hypot((px - x) * box.width, (py - y) * box.height) < 11);
          let index = near;
          let list = points;
          if (near < 0) {
            if (points.length >= 24) return;
            index = points.findIndex(([px]) => px > x);
            if (index < 0) index = points.length;
            const clear = points.every(([px]) => Math.abs(px - x) > GAP);
            if (!clear) return;
            list = [...points.slice(0, index), [x, y], ...points.slice(index)];
            onDraft(channel, list);
          }
          e.currentTarget.setPointerCapture(e.pointerId);
          setChosen(index);
          held.current = { index, points: list, moved: near < 0 };
          setHolding(true);
        }}
        onPointerMove={(e) => {
          const h = held.current;
          if (!h) return;
          h.moved = true;
          h.points = moved(h.points, h.index, place(e));
          onDraft(channel, h.points);
        }}
        onPointerUp={() => {
          const h = held.current;
          held.current = null;
          setHolding(false);
          if (h?.moved) onSet(channel, h.points);
        }}
        onDoubleClick={(e) => {
          const [x, y] = place(e);
          const i = points.findIndex(([px, py]) => Math.hypot((px - x) * W, (py - y) * H) < 11);
          if (i >= 0) without(i);
        }}
      >
        <title>Curve, input across, output up</title>
        {histogram && <path d={backdrop(histogram)} fill="#e4e4e4" />}
        <g stroke="#d6d6d6">
          {[1, 2, 3].map((i) => (
            <path key={i} d={`M${(i * W) / 4} 0V${H}M0 ${(i * H) / 4}H${W}`} />
          ))}
        </g>
        <path d={`M0 ${H}L${W} 0`} stroke="#9a9a9a" strokeDasharray="3 3" />
        <path d={line} fill="none" stroke={ink} strokeWidth="1.8" />
        {points.map(([x, y], i) => (
          // biome-ignore lint/a11y/useSemanticElements: an SVG shape cannot be a button element
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: points have no identity but their order
            key={i}
            tabIndex={0}
            role="button"
            aria-label={`Point ${i + 1}, input ${(x * 255).toFixed(0)}, output ${(y * 255).toFixed(0)}`}
            x={clamp(x * W, 3.5, W - 3.5) - 3.5}
            y={clamp((1 - y) * H, 3.5, H - 3.5) - 3.5}
            width="7"
            height="7"
            fill={i === current ? ink : "#fff"}
            stroke={ink}
            strokeWidth="1.6"
            onFocus={() => setChosen(i)}
            onKeyDown={(e) => {
              const size = (e.shiftKey ? 10 : 1) / 255;
              const by: Record<string, Point> = {
                ArrowLeft: [-size, 0],
                ArrowRight: [size, 0],
                ArrowUp: [0, size],
                ArrowDown: [0, -size],
              };
              const d = by[e.key];
              if (d) onSet(channel, moved(points, i, [x + d[0], y + d[1]]));
              else if (e.key === "Delete" || e.key === "Backspace") without(i);
              else return;
              e.preventDefault();
              e.stopPropagation();
            }}
          />
        ))}
      </svg>
      <div className="mt-1 flex h-6 items-center gap-1.5 text-xs text-ink2">
        {chosenPoint && current !== null ? (
          <>
            <span>in</span>
            <NumberField
              label="Input of the point, 0 to 255"
              className="w-10"
              text={(chosenPoint[0] * 255).toFixed(1)}
              onSet={(v) => onSet(channel, moved(points, current, [v / 255, chosenPoint[1]]))}
            />
            <span>out</span>
            <NumberField
              label="Output of the point, 0 to 255"
              className="w-10"
              text={(chosenPoint[1] * 255).toFixed(1)}
              onSet={(v) => onSet(channel, moved(points, current, [chosenPoint[0], v / 255]))}
            />
            {points.length > 2 && (
              <Button quiet className="!h-6 !px-1" onClick={() => without(current)}>
                Remove
              </Button>
            )}
          </>
        ) : (
          <span>Press on the line, or</span>
        )}
        <Button quiet className="!h-6 !px-1" onClick={add} disabled={points.length >= 24}>
          + point
        </Button>
      </div>
    </section>
  );
}

function backdrop(counts: number[]): string {
  const sorted = counts.slice(2, 254).sort((a, b) => a - b);
  const top = Math.max(sorted[Math.floor(sorted.length * 0.985)] ?? 1, 1);
  return `M0 ${H}${counts
    .map((n, i) => `L${((i / 255) * W).toFixed(1)} ${(H - Math.min(n / top, 1) * H * 0.8).toFixed(1)}`)
    .join("")}L${W} ${H}Z`;
}
