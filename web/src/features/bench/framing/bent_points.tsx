import { useRef, useState } from "react";
import type { Frame } from "../../../api/client";
import { type PlanePlacement, type Point, toScreen } from "../../../canvas/plane";
import type { Size } from "../../../canvas/viewport";
import { useFraming } from "./framing_state";
import { Handle } from "./handle";
import { Loupe } from "./loupe";

interface Props {
  frame: Frame;
  points: readonly Point[];
  at: PlanePlacement;
  box: Size;
}

/** Points that are placed along a bent edge: each can be moved again, under the magnifier, by hand or by arrow keys. */
export function BentPoints({ frame, points, at, box }: Props) {
  const before = useRef(points);
  const [held, setHeld] = useState<number | null>(null);
  const move = (index: number, from: Point, dx: number, dy: number) =>
    useFraming.setState((s) => ({
      points: s.points.map((p, i) => (i === index ? ([from[0] + dx / at.scale, from[1] + dy / at.scale] as const) : p)),
    }));
  const place = held === null ? undefined : points[held];
  return (
    <>
      {points.map((p, i) => {
        const [x, y] = toScreen(at, p);
        return (
          <Handle
            // biome-ignore lint/suspicious/noArrayIndexKey: points have no other identity
            key={i}
            name={`Point ${i + 1} of the bent edge`}
            x={x}
            y={y}
            shape="round"
            start={() => {
              before.current = points;
              return p;
            }}
            onHold={(on) => setHeld(on ? i : null)}
            onDrag={(dx, dy, from: Point) => move(i, from, dx, dy)}
            onEnd={() => undefined}
            onStep={(dx, dy) => move(i, p, dx, dy)}
            onCancel={() => useFraming.setState({ points: [...before.current] })}
          />
        );
      })}
      {place && <Loupe frame={frame} place={place} at={at} box={box} />}
    </>
  );
}
