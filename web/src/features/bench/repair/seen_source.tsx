import { useEffect, useRef } from "react";
import { drawSeen } from "../../../canvas/enlarged";
import type { Place } from "../../../canvas/strokes";
import { useBench } from "../../../state/bench";
import type { OnScreen } from "../drawing/on_screen";
import { useOnPicture } from "../drawing/places";
import { density } from "../picture_zoom";

interface Props {
  screen: OnScreen;
  pointer: Place;
  radius: number;
  /** Where it comes from, as it was picked; the next stroke begins there. */
  anchor: Place | null;
  /** The way to where it comes from, once a stroke has fixed it. */
  away: Place | null;
}

/** A dotted ring where clone and heal take from, and that place seen under the pointer. */
export function SeenSource({ screen, pointer, radius, anchor, away }: Props) {
  const { frame, at } = screen;
  const draft = useBench((s) => s.draft);
  const long = Math.max(frame.width, frame.height);
  const told = useOnPicture(frame.id, draft, anchor ? [anchor] : []);
  const canvas = useRef<HTMLCanvasElement>(null);
  const picked = anchor ? told?.points[0] : null;
  const from: Place | null = picked
    ? [at.left + picked[0] * at.scale, at.top + picked[1] * at.scale]
    : away
      ? [pointer[0] + away[0] * long * at.scale, pointer[1] + away[1] * long * at.scale]
      : null;
  const [fx, fy] = from ?? [null, null];
  useEffect(() => {
    const picture = document.querySelector<HTMLCanvasElement>("[data-testid=picture]");
    const here = canvas.current;
    if (!picture || !here || fx === null || fy === null) return;
    const d = density();
    const side = Math.max(Math.round(2 * radius * d), 1);
    here.width = side;
    here.height = side;
    const pen = here.getContext("2d");
    if (!pen) return;
    pen.beginPath();
    pen.arc(side / 2, side / 2, side / 2, 0, 2 * Math.PI);
    pen.clip();
    pen.globalAlpha = 0.75;
    drawSeen(pen, picture, fx * d - side / 2, fy * d - side / 2, side);
  }, [fx, fy, radius]);
  if (!from) return null;
  return (
    <>
      <foreignObject x={pointer[0] - radius} y={pointer[1] - radius} width={2 * radius} height={2 * radius}>
        <canvas ref={canvas} style={{ width: 2 * radius, height: 2 * radius }} />
      </foreignObject>
      <g fill="none">
        <circle cx={from[0]} cy={from[1]} r={radius} stroke="#fff" strokeWidth={3} strokeOpacity={0.8} />
        <circle
          cx={from[0]}
          cy={from[1]}
          r={radius}
          stroke="#161616"
          strokeWidth={1.4}
          strokeDasharray="1.5 4"
          strokeLinecap="round"
        />
        <path d={`M${from[0] - 4} ${from[1]}h8M${from[0]} ${from[1] - 4}v8`} stroke="#161616" strokeWidth={1.3} />
      </g>
    </>
  );
}
