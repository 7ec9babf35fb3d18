/** Bands and rings as handles and outlines, in frame coordinates. Pure arithmetic. */
import type { Place } from "../../../canvas/strokes";
import type { TermOf } from "../../../state/passes";

type Shape = TermOf<"band"> | TermOf<"ring">;
export type Grip = "full" | "none" | "middle" | "across" | "down";

export interface Handle {
  grip: Grip;
  place: Place;
  label: string;
  /** Moves the whole shape. */
  round?: boolean;
}

/** How far the lines of a band reach to both sides. */
const REACH = 2;
const CORNERS = 48;

const turned = (degrees: number): Place => [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];

export function grips(shape: Shape): Handle[] {
  if (shape.kind === "band")
    return [
      { grip: "full", place: [shape.x0, shape.y0], label: "Where the band is full" },
      { grip: "none", place: [shape.x1, shape.y1], label: "Where the band ends" },
      {
        grip: "middle",
        place: [(shape.x0 + shape.x1) / 2, (shape.y0 + shape.y1) / 2],
        label: "Middle of the band",
        round: true,
      },
    ];
  const [c, s] = turned(shape.angle);
  return [
    { grip: "middle", place: [shape.x, shape.y], label: "Middle of the ring", round: true },
    {
      grip: "across",
      place: [shape.x + c * shape.radius_x, shape.y + s * shape.radius_x],
      label: "Half width and turn of the ring",
    },
    {
      grip: "down",
      place: [shape.x - s * shape.radius_y, shape.y + c * shape.radius_y],
      label: "Half height of the ring",
    },
  ];
}

/** Lines to draw: of a band where it is full, where it ends and its middle; of a ring its edge and where it is full. */
export function outlines(shape: Shape): Place[][] {
  if (shape.kind === "band") {
    const [dx, dy] = [shape.x1 - shape.x0, shape.y1 - shape.y0];
    const length = Math.max(Math.hypot(dx, dy), 1e-9);
    const [sx, sy] = [-dy / length, dx / length];
    return [0, 1, 0.5].map((t) =>
      // many points: through a lens a straight line is none
      Array.from({ length: 25 }, (_, i): Place => {
        const far = REACH * (i / 12 - 1);
        return [shape.x0 + t * dx + far * sx, shape.y0 + t * dy + far * sy];
      }),
    );
  }
  const [c, s] = turned(shape.angle);
  const at = (share: number): Place[] =>
    Array.from({ length: CORNERS + 1 }, (_, i): Place => {
      const [u, v] = turned((360 * i) / CORNERS);
      const [x, y] = [u * shape.radius_x * share, v * shape.radius_y * share];
      return [shape.x + c * x - s * y, shape.y + s * x + c * y];
    });
  const inner = 1 - shape.softness / 100;
  return inner > 0.02 && inner < 0.99 ? [at(1), at(inner)] : [at(1)];
}

const LEAST = 0.002;

/** Where a shape lies and how large it is, without its softness and how it is joined. */
export function lying(shape: Shape): Partial<Shape> {
  if (shape.kind === "band") return { x0: shape.x0, y0: shape.y0, x1: shape.x1, y1: shape.y1 };
  const { x, y, radius_x, radius_y, angle } = shape;
  return { x, y, radius_x, radius_y, angle };
}

/** A shape with a handle dragged from one place to another; "new" draws it anew between the two. */
export function withGrip<S extends Shape>(shape: S, grip: Grip | "new", from: Place, to: Place): S {
  const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
  if (shape.kind === "band") {
    if (grip === "new") return { ...shape, x0: from[0], y0: from[1], x1: to[0], y1: to[1] };
    if (grip === "full") return { ...shape, x0: shape.x0 + dx, y0: shape.y0 + dy };
    if (grip === "none") return { ...shape, x1: shape.x1 + dx, y1: shape.y1 + dy };
    return { ...shape, x0: shape.x0 + dx, y0: shape.y0 + dy, x1: shape.x1 + dx, y1: shape.y1 + dy };
  }
  if (grip === "new")
    return {
      ...shape,
      x: (from[0] + to[0]) / 2,
      y: (from[1] + to[1]) / 2,
      radius_x: Math.max(Math.abs(dx) / 2, LEAST),
      radius_y: Math.max(Math.abs(dy) / 2, LEAST),
      angle: 0,
    };
  if (grip === "middle") return { ...shape, x: shape.x + dx, y: shape.y + dy };
  const [c, s] = turned(shape.angle);
  if (grip === "across") {
    const [x, y] = [c * shape.radius_x + dx, s * shape.radius_x + dy];
    const angle = (Math.atan2(y, x) * 180) / Math.PI;
    return { ...shape, radius_x: Math.max(Math.hypot(x, y), LEAST), angle };
  }
  return { ...shape, radius_y: Math.max(shape.radius_y - s * dx + c * dy, LEAST) };
}
