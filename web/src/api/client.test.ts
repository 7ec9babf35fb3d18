import { afterEach, expect, it, vi } from "vitest";
import { ApiError, need, offlineSafe } from "./client";
import { fetchView, isHere, unpack } from "./view";

afterEach(() => vi.unstubAllGlobals());

const response = (status: number, body: unknown) =>
  new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });

async function failure(call: Promise<unknown>): Promise<ApiError> {
  const error = await call.then(
    () => null,
    (e: unknown) => e,
  );
  expect(error).toBeInstanceOf(ApiError);
  return error as ApiError;
}

it("hands on what the server sent", async () => {
  expect(await need(Promise.resolve({ data: { id: 3 }, response: response(200, {}) }))).toEqual({ id: 3 });
});

it("says the server's own sentence, and what is there now", async () => {
  const current = { revision: 4 };
  const error = await failure(
    need(
      Promise.resolve({
        error: { error: "This version was changed elsewhere.", current },
        response: response(409, {}),
      }),
    ),
  );
  expect([error.status, error.message, error.current]).toEqual([409, "This version was changed elsewhere.", current]);
});

it("takes no answer for a success that does not say so, whatever it holds", async () => {
  for (const status of [302, 404, 500, 507]) {
    const error = await failure(need(Promise.resolve({ data: { id: 3 }, response: response(status, {}) })));
    expect(error.status).toBe(status);
  }
});

it("names the number of an answer that has no sentence", async () => {
  const error = await failure(need(Promise.resolve({ error: undefined, response: response(502, null) })));
  expect(error.message).toBe("The server answered 502.");
});

it("a server that is gone is said in words", async () => {
  expect((await failure(need(Promise.reject(new TypeError("fetch failed"))))).message).toMatch(/does not answer/);
  expect((await failure(offlineSafe(() => Promise.reject(new TypeError("x"))))).message).toMatch(/does not answer/);
});

it("a request that was called off stays called off", async () => {
  const call = offlineSafe(() => Promise.reject(new DOMException("stop", "AbortError")));
  await expect(call).rejects.toThrow(DOMException);
});

it("a refused view carries its sentence even when the body is no JSON", async () => {
  expect((await failure(offlineSafe(async () => response(422, { error: "Too narrow." })))).message).toBe("Too narrow.");
  expect((await failure(offlineSafe(async () => new Response("<html>", { status: 500 })))).message).toBe(
    "The server answered 500.",
  );
});

function packed(picture: number[], clipping: number[]): ArrayBuffer {
  const header = new TextEncoder().encode(
    JSON.stringify({
      strips: picture.length > 1 ? [picture.length - 1, 1] : [1],
      clipping_bytes: clipping.length,
      scaled_width: 7,
    }),
  );
  const data = new Uint8Array(4 + header.length + picture.length + clipping.length);
  new DataView(data.buffer).setUint32(0, header.length, true);
  data.set(header, 4);
  data.set([...picture, ...clipping], 4 + header.length);
  return data.buffer;
}

it("a view without warnings has no second picture", async () => {
  const parts = unpack(packed([5, 6, 7], []));
  expect(parts.clipping).toBeNull();
  const strips = await Promise.all(parts.strips.map(async (s) => [...new Uint8Array(await s.arrayBuffer())]));
  expect(strips).toEqual([[5, 6], [7]]);
  expect(parts.header.scaled_width).toBe(7);
});

it("plain pixels are taken as they are, the clipping map behind them", async () => {
  const pixels = [1, 2, 3, 255, 4, 5, 6, 255];
  vi.stubGlobal(
    "ImageData",
    class {
      constructor(
        readonly data: Uint8ClampedArray,
        readonly width: number,
        readonly height: number,
      ) {}
    },
  );
  const text = JSON.stringify({ plain: true, width: 2, height: 1, strips: [8], clipping_bytes: 2 });
  const header = new TextEncoder().encode(text);
  const data = new Uint8Array([header.length, 0, 0, 0, ...header, ...pixels, 8, 9]);
  const parts = unpack(data.buffer);
  expect([...(parts.pixels?.data ?? [])]).toEqual(pixels);
  expect([parts.pixels?.width, parts.pixels?.height, parts.strips]).toEqual([2, 1, []]);
  expect([...new Uint8Array(await (parts.clipping as Blob).arrayBuffer())]).toEqual([8, 9]);
  vi.unstubAllGlobals();
});

it("pixels are asked for plain while a hand moves, from the same machine only", async () => {
  const asked: { plain?: boolean }[] = [];
  vi.stubGlobal("fetch", async (_url: string, { body }: { body: string }) => {
    asked.push(JSON.parse(body) as { plain?: boolean });
    return new Response(null, { status: 204 });
  });
  const window = { scaledWidth: 90, scaledHeight: 60, x: 0, y: 0, width: 90, height: 60 };
  for (const hostname of ["127.0.0.1", "studio.example"]) {
    vi.stubGlobal("location", { hostname });
    for (const quick of [true, false]) await fetchView(12, null, window, { quick }).catch(() => undefined);
  }
  expect(asked.map((a) => a.plain)).toEqual([true, undefined, undefined, undefined]);
  expect(["localhost", "[::1]", "127.8.0.1", "127.0.0.1.example", "localhost.example"].map(isHere)).toEqual([
    true,
    true,
    true,
    false,
    false,
  ]);
  vi.unstubAllGlobals();
});

it("asks for exactly what is in sight, with the page's own mark", async () => {
  const asked: { url: string; init: RequestInit }[] = [];
  vi.stubGlobal("fetch", async (url: string, init: RequestInit) => {
    asked.push({ url, init });
    return new Response(packed([1], [2]));
  });
  const bitmaps: Blob[] = [];
  vi.stubGlobal("createImageBitmap", async (blob: Blob) => {
    bitmaps.push(blob);
    return { width: 1 };
  });
  let received = 0;
  const window = { scaledWidth: 900, scaledHeight: 600, x: 10, y: 20, width: 300, height: 200 };
  const view = await fetchView(12, null, window, { clipping: true, warned: 2 }, undefined, () => {
    received += 1;
  });
  expect(asked[0]?.url).toBe("/api/frames/12/view");
  expect(asked[0]?.init.headers).toMatchObject({ "X-Zincplate": "1" });
  const body = JSON.parse(String(asked[0]?.init.body));
  expect(body).toMatchObject({ recipe: null, x: 10, y: 20, width: 300, clipping: true, warned: 2 });
  expect([received, bitmaps.map((b) => b.type), view.clipping !== null]).toEqual([
    1,
    ["image/jpeg", "image/png"],
    true,
  ]);
});
