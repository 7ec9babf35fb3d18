import { expect, it } from "vitest";
import { unpack } from "../api/view";
import { EVERYTHING, matches, next } from "../features/contact_sheet/selection";
import { clamp, exposureTime, readNumber, roundTo, written } from "../ui/number";
import { equal } from "./equal";
import { address, parse, type Route } from "./route";

it("addresses lead back to where they came from", () => {
  const routes: Route[] = [
    { place: "shoots" },
    { place: "sheet", shoot: 3 },
    { place: "bench", shoot: 3, frame: 12, step: "tone" },
    { place: "bench", shoot: 3, frame: 12, step: "balance" },
    { place: "deliver", shoot: 3, frames: [1, 2] },
  ];
  for (const route of routes) expect(parse(address(route))).toEqual(route);
  expect(parse("/shoots/none")).toEqual({ place: "shoots" });
});

it("numbers are written and read as a person would", () => {
  expect(written(0.6, 2, true)).toBe("+0.60");
  expect(written(-9, 0, true)).toBe("\u22129");
  expect(written(-0.001, 2, true)).toBe("0.00");
  expect(readNumber("\u22121,5 EV")).toBe(-1.5);
  expect(readNumber("none")).toBeNull();
  expect(roundTo(0.30000000000000004, 0.05)).toBe(0.3);
  expect(clamp(9, 0, 5)).toBe(5);
  expect([exposureTime(0.004), exposureTime(2.5), exposureTime(0)]).toEqual(["1/250", "2.5 s", ""]);
});

it("compares without regard to the order of keys", () => {
  expect(equal({ a: 1, b: [1, { c: 2 }] }, { b: [1, { c: 2 }], a: 1 })).toBe(true);
  expect(equal({ a: 1 }, { a: 1, b: undefined })).toBe(false);
  expect(equal([1, 2], [1])).toBe(false);
});

it("filters and moves over frames", () => {
  const frame = (id: number, mark: "" | "keep", stars: number) => ({ id, mark, stars, adjusted: false, delivered: 0 });
  const list = [frame(1, "keep", 0), frame(2, "", 4), frame(3, "keep", 5)];
  // biome-ignore lint/suspicious/noExplicitAny: only what the filter reads
  const kept = list.filter((f) => matches(f as any, { ...EVERYTHING, filter: "keep", stars: 1 }));
  expect(kept.map((f) => f.id)).toEqual([3]);
  expect(next(list, 2, 1)?.id).toBe(3);
  expect(next(list, 3, 1)).toBeNull();
  expect(next(list, null, 1)?.id).toBe(1);
});

it("takes a packed view apart", async () => {
  const header = new TextEncoder().encode(JSON.stringify({ strips: [3], clipping_bytes: 2 }));
  const data = new Uint8Array(4 + header.length + 5);
  new DataView(data.buffer).setUint32(0, header.length, true);
  data.set(header, 4);
  data.set([1, 2, 3, 8, 9], 4 + header.length);
  const parts = unpack(data.buffer);
  expect(parts.strips.map((s) => s.size)).toEqual([3]);
  expect(parts.clipping?.size).toBe(2);
});
