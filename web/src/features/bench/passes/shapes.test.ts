import { expect, test } from "vitest";
import type { Place } from "../../../canvas/strokes";
import type { TermOf } from "../../../state/passes";
import { grips, lying, outlines, withGrip } from "./shapes";

const common = { id: "t", join: "add", strength: 100, inverted: false } as const;
const band: TermOf<"band"> = { ...common, kind: "band", x0: 0.2, y0: 0.1, x1: 0.2, y1: 0.5 };
const ring: TermOf<"ring"> = {
  ...common,
  kind: "ring",
  x: 0.5,
  y: 0.3,
  radius_x: 0.2,
  radius_y: 0.1,
  angle: 90,
  softness: 40,
};

const at = (shape: TermOf<"band"> | TermOf<"ring">, grip: string): Place =>
  grips(shape).find((g) => g.grip === grip)?.place as Place;

test("every handle goes where it is dragged", () => {
  for (const shape of [band, ring])
    for (const { grip, place } of grips(shape)) {
      // the half height of a ring moves along its own axis only
      const to: Place = grip === "down" ? [place[0] - 0.05, place[1]] : [place[0] + 0.03, place[1] + 0.04];
      const moved = at(withGrip(shape, grip, place, to), grip);
      expect(moved[0]).toBeCloseTo(to[0], 6);
      expect(moved[1]).toBeCloseTo(to[1], 6);
    }
});

test("the middle takes all of a shape along, the others leave their opposite", () => {
  const moved = withGrip(band, "middle", [0.2, 0.3], [0.3, 0.3]);
  expect([moved.x0, moved.x1, moved.y0, moved.y1]).toEqual([
    expect.closeTo(0.3),
    expect.closeTo(0.3),
    expect.closeTo(0.1),
    expect.closeTo(0.5),
  ]);
  expect(withGrip(band, "none", [0.2, 0.5], [0.6, 0.5])).toMatchObject({ x0: 0.2, y0: 0.1, x1: expect.closeTo(0.6) });
  const wide = withGrip(ring, "across", at(ring, "across"), [0.5, 0.7]);
  expect(wide).toMatchObject({ x: 0.5, y: 0.3, radius_y: 0.1 });
  expect(wide.radius_x).toBeCloseTo(0.4);
  expect(wide.angle).toBeCloseTo(90);
});

test("a drag on the free picture draws a shape anew, and none vanishes", () => {
  expect(withGrip(band, "new", [0, 0], [1, 0.5])).toMatchObject({ x0: 0, y0: 0, x1: 1, y1: 0.5 });
  expect(withGrip(ring, "new", [0.2, 0.2], [0.6, 0.4])).toMatchObject({
    x: expect.closeTo(0.4),
    y: expect.closeTo(0.3),
    radius_x: expect.closeTo(0.2),
    radius_y: expect.closeTo(0.1),
    angle: 0,
  });
  expect(withGrip(ring, "new", [0.2, 0.2], [0.2, 0.2]).radius_x).toBeGreaterThan(0.0005);
});

test("outlines lie where the shape is full and where it ends", () => {
  const [edge, inner] = outlines(ring);
  for (const [x, y] of edge ?? []) expect(Math.hypot((y - 0.3) / 0.2, (x - 0.5) / 0.1)).toBeCloseTo(1, 6);
  for (const [x, y] of inner ?? []) expect(Math.hypot((y - 0.3) / 0.2, (x - 0.5) / 0.1)).toBeCloseTo(0.6, 6);
  const [full, none, middle] = outlines(band);
  expect(full?.every((p) => Math.abs(p[1] - 0.1) < 1e-9)).toBe(true);
  expect(none?.every((p) => Math.abs(p[1] - 0.5) < 1e-9)).toBe(true);
  expect(middle?.every((p) => Math.abs(p[1] - 0.3) < 1e-9)).toBe(true);
});

test("a shape that was moved keeps what else was done to it meanwhile", () => {
  const softer = { ...ring, softness: 80, strength: 50 };
  const moved = withGrip(ring, "middle", [0, 0], [0.1, 0.05]);
  expect({ ...softer, ...lying(moved) }).toEqual({ ...softer, x: 0.6, y: 0.35 });
  const other = { ...band, inverted: true };
  const end = withGrip(band, "none", [0, 0], [0.1, 0]);
  expect({ ...other, ...lying(end) }).toEqual({ ...other, x1: expect.closeTo(0.3) });
});
