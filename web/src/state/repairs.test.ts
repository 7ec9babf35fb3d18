import { beforeEach, describe, expect, it } from "vitest";
import { NEUTRAL, type Recipe } from "../api/generated/recipe";
import { packed } from "../canvas/strokes";
import { drawnWith } from "../features/bench/repair/actions";
import {
  extentOf,
  moved,
  newRepair,
  placesOf,
  putDown,
  repairsOf,
  useRepairs,
  withOrder,
  withPut,
  withRepair,
} from "./repairs";

const stroke = (id: string, at: [number, number], to = at) => ({
  id,
  points: packed([at, to]),
  size: 0.02,
  hardness: 70,
  flow: 100,
  erase: false,
  build_up: false,
  near_edges: false,
  tones: "all" as const,
  widths: [],
});
const spot = (id: string, at: [number, number] = [0.5, 0.3]) => ({
  ...newRepair("spot", id),
  strokes: [stroke(`${id}s`, at)],
  dx: 0.1,
  dy: 0.02,
});
const recipe = (...ids: string[]): Recipe => ids.map((id) => spot(id)).reduce(withPut, NEUTRAL.raw);
const ids = (r: Recipe) => repairsOf(r).map((x) => x.id);

describe("lists of repairs", () => {
  it("puts, changes, strikes out and orders by id", () => {
    const three = recipe("a", "b", "c");
    expect(ids(three)).toEqual(["a", "b", "c"]);
    expect(ids(withPut(three, { ...spot("b"), strength: 40 }))).toEqual(["a", "b", "c"]);
    expect(repairsOf(withPut(three, { ...spot("b"), strength: 40 }))[1]?.strength).toBe(40);
    expect(ids(withRepair(three, "b", () => null))).toEqual(["a", "c"]);
    expect(ids(withOrder(three, "c", 0))).toEqual(["c", "a", "b"]);
    expect(ids(withOrder(three, "a", 9))).toEqual(["b", "c", "a"]);
    expect(withOrder(three, "gone", 0)).toBe(three);
  });

  it("knows how far a repair reaches", () => {
    const one = { ...newRepair("heal", "a"), strokes: [stroke("s", [0.2, 0.3], [0.4, 0.3])] };
    const { middle, radius } = extentOf(one);
    expect(middle[0]).toBeCloseTo(0.3, 4);
    expect(radius).toBeCloseTo(0.11, 4);
    const patch = {
      ...newRepair("patch", "p"),
      outline: packed([
        [0.1, 0.1],
        [0.3, 0.1],
        [0.3, 0.2],
      ]),
    };
    expect(placesOf(patch)).toHaveLength(3);
    expect(extentOf(patch).radius).toBeCloseTo(0.1, 4);
  });

  it("moves a place while what it is taken from stays, and forgets a fill", () => {
    const one = moved(spot("a"), [0.05, -0.02], "stays");
    expect(placesOf(one)[0]?.[0]).toBeCloseTo(0.55, 4);
    expect([one.dx, one.dy].map((v) => v.toFixed(3))).toEqual(["0.050", "0.040"]);
    const hole = { ...newRepair("removal", "h"), strokes: [stroke("s", [0.5, 0.5])], fill: "text" };
    const gone = moved(hole, [0.1, 0], "stays");
    expect(gone.fill).toBe("");
    expect(gone.dx).toBe(0);
  });
});

describe("what a stroke makes", () => {
  beforeEach(() => {
    putDown();
    useRepairs.setState({ aligned: true, colour: null, mirrored: false, angle: 0 });
  });
  const drawn = (
    tool: "clone" | "heal" | "spot" | "removal" | "cover",
    at: [number, number],
    r = recipe(),
    id = "new",
  ) => {
    useRepairs.setState({ tool });
    return drawnWith(r, stroke(id, at));
  };

  it("a clone needs a picked place, and goes on with the way that its first stroke fixed", () => {
    expect(drawn("clone", [0.5, 0.5])).toBeNull();
    useRepairs.setState({ anchor: [0.7, 0.6] });
    const first = drawn("clone", [0.5, 0.5]);
    expect(first?.dx).toBeCloseTo(0.2, 4);
    expect(first?.dy).toBeCloseTo(0.1, 4);
    const held = withPut(recipe(), { ...(first as NonNullable<typeof first>), id: "first" });
    useRepairs.setState({ open: "first" });
    const more = drawn("clone", [0.3, 0.3], held, "second");
    expect([more?.id, more?.strokes.length]).toEqual(["first", 2]);
    // each begins at the picked place again when that is asked for
    useRepairs.setState({ aligned: false });
    const anew = drawn("clone", [0.3, 0.3], held);
    expect(anew?.id).toBe("new");
    expect(anew?.dx).toBeCloseTo(0.4, 4);
  });

  it("a cover needs a colour, a removal nothing, a spot is one of its own", () => {
    expect(drawn("cover", [0.5, 0.5])).toBeNull();
    useRepairs.setState({ colour: [0.5, 0.4, 0.3] });
    expect(drawn("cover", [0.5, 0.5])?.colour).toEqual([0.5, 0.4, 0.3]);
    useRepairs.setState({ reach: 150 });
    expect(drawn("removal", [0.5, 0.5])).toMatchObject({ id: "new", kind: "removal", reach: 150, fill: "" });
    useRepairs.setState({ open: "a" });
    expect(drawn("spot", [0.5, 0.5], recipe("a"))?.id).toBe("new");
  });
});
