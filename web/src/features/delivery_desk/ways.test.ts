import { beforeEach, expect, it, vi } from "vitest";
import type { Preset } from "../../api/client";
import { changesOf, remember, waysOf } from "./ways";

const common = { file_format: "jpeg", space: "srgb", bits: 8, location: true };
const web: Preset = { ...common, name: "web", suffix: "-web", long_edge: 2048, quality: 86 };
const whole: Preset = { ...common, name: "whole", suffix: "", long_edge: null, quality: 95 };

beforeEach(() => localStorage.clear());

it("takes the first as it comes, and the next time what was set the last", () => {
  expect(waysOf([web, whole])).toEqual([
    { on: true, preset: web },
    { on: false, preset: whole },
  ]);
  const set = [
    { on: false, preset: { ...web, long_edge: null, location: false } },
    { on: true, preset: whole },
  ];
  remember(set, [web, whole]);
  expect(waysOf([web, whole])).toEqual(set);
  // a preset that comes otherwise since then has the new value where it was not changed
  expect(waysOf([{ ...web, quality: 90 }])[0]?.preset).toEqual({
    ...web,
    quality: 90,
    long_edge: null,
    location: false,
  });
  // set back, it is as it comes again
  remember([{ on: true, preset: web }], [web, whole]);
  expect(waysOf([web, whole])).toEqual([
    { on: true, preset: web },
    { on: true, preset: whole },
  ]);
});

it("brings back nothing that a preset does not have, and starts plain when the browser keeps nothing", () => {
  const gone = JSON.stringify({ web: { change: { old: 1, name: "x", quality: 50 } } });
  localStorage.setItem("zincplate.ways", gone);
  expect(waysOf([web])).toEqual([{ on: true, preset: { ...web, quality: 50 } }]);
  for (const broken of ["{", "null"]) {
    localStorage.setItem("zincplate.ways", broken);
    expect(waysOf([web])).toEqual([{ on: true, preset: web }]);
  }
  const full = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("full", "QuotaExceededError");
  });
  remember([{ on: false, preset: web }], [web]);
  full.mockRestore();
  expect(changesOf({ ...web, quality: 1, long_edge: null }, web)).toEqual({ quality: 1, long_edge: null });
});
