import { expect, it, vi } from "vitest";
import { api } from "./client";
import { answered, packed, spelledOut } from "./pieces";
import { fetchView } from "./view";

const stroke = (first: number) => ({ id: "s", points: Array.from({ length: 80 }, (_, i) => first + i) });
const body = (...strokes: unknown[]) => ({ recipe: { passes: { passes: [{ area: { terms: [{ strokes }] } }] } } });
const inside = (text: string) => JSON.parse(text).recipe.passes.passes[0].area.terms[0].strokes;

it("a long row is sent once and named afterwards; another one has another name", () => {
  const [one, two] = [stroke(1), stroke(2)];
  const text = packed(body(one));
  const first = inside(text);
  expect(first[0].points.is).toEqual(one.points);
  // until an answer has come it is sent again: a request may overtake another
  expect(packed(body(one))).toBe(text);
  answered(text);
  const again = inside(packed(body(one, two)));
  expect(again[0].points).toEqual({ piece: first[0].points.piece });
  expect(again[1].points.is).toEqual(two.points);
  expect(again[1].points.piece).not.toBe(first[0].points.piece);
  // an equal row that is another object is another piece: nothing is compared
  expect(inside(packed(body({ ...one, points: [...one.points] })))[0].points.is).toEqual(one.points);
  expect(inside(packed(body(one), true))[0].points.is).toEqual(one.points);
});

it("short rows, other rows and other words stay as they are", () => {
  const short = { points: [1, 2, 3, 4], other: Array.from({ length: 90 }, (_, i) => i), raster: "short" };
  expect(inside(packed(body(short)))[0]).toEqual(short);
  const curve = { points: Array.from({ length: 70 }, (_, i) => [i, i]) };
  expect(inside(packed(body(curve)))[0]).toEqual(curve);
});

it("a long text is a piece as well", () => {
  const area = { raster: "x".repeat(500) };
  const text = packed(body(area));
  expect(inside(text)[0].raster.is).toBe(area.raster);
  answered(text);
  expect(inside(packed(body({ ...area })))[0].raster).toEqual({ piece: expect.any(String) });
});

it("what was packed can be spelled out again", () => {
  const one = stroke(3);
  answered(packed(body(one)));
  expect(inside(spelledOut(packed(body(one))))[0].points.is).toEqual(one.points);
});

it("a server that has forgotten gets everything again, once", async () => {
  const one = stroke(4);
  answered(packed(body(one)));
  const texts: string[] = [];
  const answers = [428, 200, 428, 428];
  vi.stubGlobal("fetch", async (asked: Request | string, init?: RequestInit) => {
    texts.push(typeof asked === "string" ? String(init?.body) : await asked.text());
    return new Response(JSON.stringify({ proposals: [] }), {
      status: answers.shift() ?? 500,
      headers: { "Content-Type": "application/json" },
    });
  });
  const params = { path: { id: 1 } };
  const suggested = await api.POST("/api/frames/{id}/suggest", { params, body: { ...body(one), of: "tone" } as never });
  expect(suggested.response.status).toBe(200);
  expect(texts).toHaveLength(2);
  expect(inside(texts[0] as string)[0].points).toEqual({ piece: expect.any(String) });
  expect(inside(texts[1] as string)[0].points.is).toEqual(one.points);
  // and when that does not help it is an error like any other, not a circle
  const window = { scaledWidth: 9, scaledHeight: 9, x: 0, y: 0, width: 0, height: 0 };
  await expect(fetchView(1, body(one).recipe as never, window, {})).rejects.toThrow("428");
  expect(inside(texts[3] as string)[0].points.is).toEqual(one.points);
  expect(texts).toHaveLength(4);
});

it("what was answered is known, what was refused is not", async () => {
  const one = stroke(5);
  const texts: string[] = [];
  const answers = [422, 200, 204];
  vi.stubGlobal("fetch", async (asked: Request) => {
    texts.push(await asked.text());
    const status = answers.shift() ?? 500;
    return new Response(status === 204 ? null : "{}", { status, headers: { "Content-Type": "application/json" } });
  });
  for (let i = 0; i < 3; i++)
    await api.POST("/api/frames/{id}/suggest", {
      params: { path: { id: 1 } },
      body: { ...body(one), of: "tone" } as never,
    });
  expect(texts.map((text) => "is" in inside(text)[0].points)).toEqual([true, true, false]);
});
