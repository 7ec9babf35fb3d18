import { type PointerEvent, useId, useState } from "react";
import type { Frame } from "../../../api/client";
import type { FramingFacts } from "../../../api/view";
import {
  dragged,
  type Grip,
  kept,
  kindOf,
  overlayLines,
  type PlanePlacement,
  type Point,
  type Rect,
  ratioOf,
  toPlane,
  toScreen,
} from "../../../canvas/plane";
import type { Size } from "../../../canvas/viewport";
import { useBench } from "../../../state/bench";
import { newItemId } from "../../../state/items";
import { dropRested, runRested, whenRested } from "../../../state/turns";
import { withControl } from "../steps/control";
import { BentPoints } from "./bent_points";
import { holdCrop, holdLines, linesNow, type PlaneLine, sendCrop, sendLines, useFraming } from "./framing_state";
import { Handle } from "./handle";
import { Loupe } from "./loupe";

const GRIPS: Grip[] = ["top left", "top", "top right", "right", "bottom right", "bottom", "bottom left", "left"];
const CORNER_NAMES = ["upper left", "upper right", "lower right", "lower left"];
const TURNING = ["framing.angle", "framing.tilt", "framing.swing", "framing.stretch"];

interface Props {
  frame: Frame;
  at: PlanePlacement;
  box: Size;
  surround: string;
}

/** Everything over the picture of the framing step: veil, crop, guides, lines, corners. */
export function Over({ frame, at, box, surround }: Props) {
  const header = useBench((s) => s.header);
  const tool = useFraming((s) => s.tool);
  const facts = header?.framing;
  if (!facts || !header) return null;
  const crop: Rect = [facts.left, facts.top, header.full_width, header.full_height];
  return (
    <Inner key={frame.id} frame={frame} at={at} box={box} surround={surround} facts={facts} crop={crop} tool={tool} />
  );
}

interface InnerProps extends Props {
  facts: FramingFacts;
  crop: Rect;
  tool: ReturnType<typeof useFraming.getState>["tool"];
}

function Inner({ frame, at, box, surround, facts, crop, tool }: InnerProps) {
  const draft = useBench((s) => s.draft);
  const resting = useBench((s) => s.resting);
  const overlay = useFraming((s) => s.overlay);
  const points = useFraming((s) => s.points);
  const held = useFraming((s) => s.crop?.what);
  const [drawing, setDrawing] = useState<{ start: Point; end: Point } | null>(null);
  const drawn = useFraming((s) => s.lines?.what);
  const [pulled, setPulled] = useState<number | null>(null);
  const hatch = useId();
  const veil = useId();
  const clip = useId();

  if (!draft) return null;
  const rect = held ?? crop;
  const original = facts.source_width / facts.source_height;
  const ratio = ratioOf(draft.framing.ratio, original);
  const inside = !draft.framing.reach_beyond;
  const outline = facts.outline;
  const path = (list: readonly Point[]) =>
    list
      .map((p) =>
        toScreen(at, p)
          .map((v) => v.toFixed(1))
          .join(" "),
      )
      .join("L");
  const [left, top] = toScreen(at, [rect[0], rect[1]]);
  const width = rect[2] * at.scale;
  const height = rect[3] * at.scale;
  const box4 = `M0 0H${box.width}V${box.height}H0Z`;
  const cropPath = `M${left} ${top}h${width}v${height}h${-width}Z`;
  const grid = TURNING.includes(resting ?? "") || tool === "corners" || drawing !== null;
  const shownOverlay = grid ? "grid" : overlay;

  const moveCrop = (grip: Grip, dx: number, dy: number, from: Rect) => {
    const wanted = dragged(from, grip, dx, dy, ratio);
    const next = inside ? kept(from, wanted, outline) : wanted;
    holdCrop(next);
    return next;
  };
  const saveCrop = (next: Rect) => {
    dropRested();
    sendCrop(frame.id, next, draft.framing.ratio);
  };
  const stepCrop = (grip: Grip, dx: number, dy: number) => {
    const next = moveCrop(grip, dx / at.scale, dy / at.scale, rect);
    whenRested("crop", () => saveCrop(next));
  };
  const current = drawn ?? facts.lines;
  const pull = (index: number, dx: number, dy: number, from: readonly number[], end: boolean) => {
    const long = Math.max(facts.source_width, facts.source_height);
    const corners = from.map((v, i) => (i === 2 * index ? v + dx / long : i === 2 * index + 1 ? v + dy / long : v));
    const { edit, save } = useBench.getState();
    (end ? save : edit)((r) =>
      withControl(
        r,
        "framing",
        "corners",
        corners.map((v) => Number(v.toFixed(5))),
      ),
    );
  };

  const where = (e: PointerEvent): Point => {
    const bounds = e.currentTarget.getBoundingClientRect();
    return toPlane(at, e.clientX - bounds.left, e.clientY - bounds.top);
  };
  const drawsLines = tool === "line" || tool === "lines";
  const background = {
    onPointerDown: (e: PointerEvent) => {
      if (e.button !== 0) return;
      runRested();
      if (tool === "bent") {
        useFraming.setState({ points: [...points, where(e)].slice(0, 12) });
        return;
      }
      if (!drawsLines || (tool === "lines" && current.length >= 4)) return;
      e.currentTarget.setPointerCapture(e.pointerId);
      setDrawing({ start: where(e), end: where(e) });
    },
    onPointerMove: (e: PointerEvent) => drawing && setDrawing({ ...drawing, end: where(e) }),
    onPointerUp: () => {
      if (!drawing) return;
      setDrawing(null);
      const { start, end } = drawing;
      if (Math.hypot(end[0] - start[0], end[1] - start[1]) * at.scale < 8) return;
      const line: PlaneLine = { id: newItemId(), along: kindOf(start, end), start: [...start], end: [...end] };
      if (tool === "line") {
        useFraming.setState({ tool: "crop" });
        sendLines(frame.id, [line]);
      } else sendLines(frame.id, [...linesNow(facts.lines), line]);
    },
    onPointerCancel: () => setDrawing(null),
  };

  return (
    <>
      <svg
        className="absolute inset-0 h-full w-full touch-none"
        style={{ cursor: tool === "crop" || tool === "corners" ? "default" : "crosshair" }}
        role="presentation"
        {...background}
      >
        <defs>
          <pattern id={hatch} width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="9" height="9" fill="#8a5c08" fillOpacity="0.28" />
            <path d="M0 0V9" stroke="#f6f6f6" strokeOpacity="0.75" strokeWidth="2" />
          </pattern>
          <clipPath id={clip}>
            <path d={cropPath} />
          </clipPath>
          <clipPath id={veil}>
            <path d={`${box4}${cropPath}`} clipRule="evenodd" />
          </clipPath>
        </defs>
        {/* a clip, not a mask: a mask is painted anew over the whole table at every step of a drag */}
        <path d={`${box4}M${path(outline)}Z`} fillRule="evenodd" fill={surround} clipPath={`url(#${veil})`} />
        {facts.beyond > 0 && (facts.bare > 0 || draft.framing.beyond === "stretch") && (
          <g clipPath={`url(#${clip})`}>
            <path d={`${box4}M${path(outline)}Z`} fillRule="evenodd" fill={`url(#${hatch})`} />
          </g>
        )}
        <path d={`${box4}${cropPath}`} fillRule="evenodd" fill={surround} fillOpacity={tool === "crop" ? 0.68 : 0.35} />
        <Double d={cropPath} strong />
        <Double
          d={overlayLines(shownOverlay, width / height)
            .map(
              ([x0, y0, x1, y1]) =>
                `M${left + x0 * width} ${top + y0 * height}L${left + x1 * width} ${top + y1 * height}`,
            )
            .join("")}
        />
        {draft.framing.guides.map((guide) => {
          const share = guide.percent / 100;
          const d =
            guide.across === "upright"
              ? `M${left + share * width} ${top}v${height}`
              : `M${left} ${top + share * height}h${width}`;
          return <Double key={guide.id} d={d} strong dashed />;
        })}
        {(tool === "lines" || tool === "line") &&
          current.map((line) => <Double key={line.id} d={`M${path([line.start])}L${path([line.end])}`} strong />)}
        {tool === "bent" &&
          [...facts.bent_lines, { id: "placed", points }].map((line) =>
            line.points.length > 1 ? <Double key={line.id} d={`M${path(line.points)}`} strong /> : null,
          )}
        {drawing && <Double d={`M${path([drawing.start])}L${path([drawing.end])}`} strong />}
      </svg>
      {tool === "crop" && (
        <>
          <Handle
            name="Crop, move"
            area={{ left, top, width, height }}
            cursor="move"
            onDrag={(dx, dy, from: Rect) => moveCrop("move", dx / at.scale, dy / at.scale, from)}
            start={() => rect}
            onEnd={(next) => next && saveCrop(next as Rect)}
            onStep={(dx, dy) => stepCrop("move", dx, dy)}
            onCancel={() => useFraming.setState({ crop: null })}
          />
          {GRIPS.map((grip) => {
            const x = grip.includes("left") ? left : grip.includes("right") ? left + width : left + width / 2;
            const y = grip.includes("top") ? top : grip.includes("bottom") ? top + height : top + height / 2;
            return (
              <Handle
                key={grip}
                name={`Crop, ${grip}`}
                x={x}
                y={y}
                shape={grip.includes(" ") ? "corner" : grip === "left" || grip === "right" ? "upright" : "level"}
                onDrag={(dx, dy, from: Rect) => moveCrop(grip, dx / at.scale, dy / at.scale, from)}
                start={() => rect}
                onEnd={(next) => next && saveCrop(next as Rect)}
                onStep={(dx, dy) => stepCrop(grip, dx, dy)}
                onCancel={() => useFraming.setState({ crop: null })}
              />
            );
          })}
        </>
      )}
      {tool === "corners" &&
        facts.corners.map((corner, i) => {
          const [x, y] = toScreen(at, corner);
          return (
            <Handle
              // biome-ignore lint/suspicious/noArrayIndexKey: always four
              key={i}
              name={`Corner, ${CORNER_NAMES[i]}`}
              x={Math.min(Math.max(x, 8), box.width - 8)}
              y={Math.min(Math.max(y, 8), box.height - 8)}
              shape="round"
              start={() => [...draft.framing.corners]}
              onHold={(on) => setPulled(on ? i : null)}
              onDrag={(dx, dy, from: number[]) => {
                pull(i, dx / at.scale, dy / at.scale, from, false);
                return [dx, dy, ...from];
              }}
              onEnd={(last) => {
                const [dx = 0, dy = 0, ...from] = (last ?? []) as number[];
                if (last) pull(i, dx / at.scale, dy / at.scale, from, true);
              }}
              onStep={(dx, dy) => {
                pull(i, dx / at.scale, dy / at.scale, draft.framing.corners, false);
                whenRested("corners", () => useBench.getState().save());
              }}
              onCancel={() => useBench.getState().cancel()}
            />
          );
        })}
      {tool === "bent" && <BentPoints frame={frame} points={points} at={at} box={box} />}
      {tool === "corners" && pulled !== null && facts.corners[pulled] && (
        <Loupe frame={frame} place={facts.corners[pulled]} at={at} box={box} />
      )}
      {tool === "lines" &&
        current.flatMap((line, i) =>
          (["start", "end"] as const).map((end) => {
            const [x, y] = toScreen(at, line[end]);
            const moved = (dx: number, dy: number, from: Point): PlaneLine[] =>
              current.map((l) =>
                l.id === line.id
                  ? { ...l, [end]: [from[0] + dx / at.scale, from[1] + dy / at.scale] as [number, number] }
                  : l,
              );
            return (
              <Handle
                key={`${line.id} ${end}`}
                name={`Line ${i + 1}, ${end}`}
                x={x}
                y={y}
                shape="round"
                start={() => line[end]}
                onDrag={(dx, dy, from: Point) => {
                  const next = moved(dx, dy, from);
                  holdLines(next);
                  return next;
                }}
                onEnd={(next) => {
                  if (!next) return;
                  dropRested(); // steps by keyboard are in it
                  sendLines(frame.id, next as PlaneLine[]);
                }}
                onStep={(dx, dy) => {
                  const next = moved(dx, dy, line[end]);
                  holdLines(next);
                  whenRested("lines", () => sendLines(frame.id, next));
                }}
                onCancel={() => useFraming.setState({ lines: null })}
              />
            );
          }),
        )}
    </>
  );
}

/** An ink line with a white edge, seen on any picture. */
function Double({ d, strong, dashed }: { d: string; strong?: boolean; dashed?: boolean }) {
  const dash = dashed ? "7 5" : undefined;
  return (
    <>
      <path d={d} fill="none" stroke="#f6f6f6" strokeOpacity={strong ? 0.95 : 0.6} strokeWidth={strong ? 3 : 2.2} />
      <path
        d={d}
        fill="none"
        stroke="#161616"
        strokeOpacity={strong ? 1 : 0.75}
        strokeWidth={strong ? 1.4 : 0.8}
        strokeDasharray={dash}
      />
    </>
  );
}
