import { describe, expect, it } from "vitest";
import { NEUTRAL, type Recipe } from "../api/generated/recipe";
import {
  difference,
  EMPTY,
  isEmpty,
  merged,
  named,
  type Patch,
  patched,
  reconciled,
  standing,
  touches,
  without,
} from "./patch";

describe("patches", () => {
  const base = NEUTRAL.raw;

  it("lead from one recipe to the other and back", () => {
    const other: Recipe = {
      ...base,
      tone: { ...base.tone, exposure_ev: 1, curve_rgb: [...base.tone.curve_rgb, [1, 1]] },
      off: ["colour"],
    };
    const there = difference(base, other);
    expect(touches(there).sort()).toEqual(["colour", "tone.curve_rgb", "tone.exposure_ev"]);
    expect(patched(base, there)).toEqual(other);
    expect(patched(other, standing(base, there))).toEqual(base);
    expect(isEmpty(difference(other, structuredClone(other)))).toBe(true);
  });

  it("leave the object alone when nothing changes", () => {
    expect(patched(base, { values: { tone: { exposure_ev: 0 } }, switches: { tone: true } })).toBe(base);
    expect(patched(base, EMPTY)).toBe(base);
  });

  it("are put together, taken apart, and named", () => {
    const a: Patch = { values: { tone: { exposure_ev: 1, contrast: 2 } }, switches: { colour: false } };
    const b: Patch = { values: { tone: { exposure_ev: 3 }, balance: { tint: 4 } }, switches: {} };
    expect(merged(a, b)).toEqual({
      values: { tone: { exposure_ev: 3, contrast: 2 }, balance: { tint: 4 } },
      switches: { colour: false },
    });
    expect(without(a, b)).toEqual({ values: { tone: { contrast: 2 } }, switches: { colour: false } });
    expect(named(b)).toBe("Exposure, Tint");
    expect(named(a)).toBe("Exposure, Contrast round middle grey, the step colour");
  });

  it("are put where something else stands now, or not at all", () => {
    const of = (exposure_ev: number, contrast: number, colour = true): Patch => ({
      values: { tone: { exposure_ev, contrast } },
      switches: { colour },
    });
    const mine = of(1, 0, false);
    expect(reconciled(of(0, 5), of(0, 0), mine), "theirs is another control").toBeNull();
    expect(reconciled(of(0, 0), of(0, 0), mine)).toEqual(mine);
    expect(reconciled(of(1, 0), of(0, 0), mine), "theirs is the same").toEqual(mine);
    expect(reconciled(of(2, 0), of(0, 0), mine)).toBeNull();
    expect(reconciled(of(0, 0, false), of(0, 0), mine)).toEqual(mine);
    const turned = { values: {}, switches: { colour: true, tone: false } };
    const now = { values: {}, switches: { colour: false, tone: true } };
    expect(reconciled(now, { values: {}, switches: { colour: true, tone: true } }, turned)).toBeNull();
  });
});
