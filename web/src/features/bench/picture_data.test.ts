import { beforeEach, expect, it, vi } from "vitest";
import { NEUTRAL, type Recipe } from "../../api/generated/recipe";
import { evaluate, type Point } from "../../canvas/curve";
import { useBench } from "../../state/bench";
import { useNotices } from "../../state/notices";
import {
  adjustedOptions,
  asksForSlow,
  loupeWindow,
  pickerKey,
  pointAt,
  startToneDrag,
  throttledPixel,
  unadjusted,
} from "./picture_data";

beforeEach(() => {
  vi.unstubAllGlobals();
  useNotices.setState({ list: [] });
});

it("only the best noise reduction takes seconds, and only where it does something", () => {
  const with_ = (more: object, off: Recipe["off"] = []): Recipe => ({
    ...NEUTRAL.raw,
    off,
    definition: { ...NEUTRAL.raw.definition, ...more },
  });
  expect(asksForSlow(null)).toBe(false);
  expect(asksForSlow(with_({ noise_method: "best" }))).toBe(false);
  expect(asksForSlow(with_({ noise_method: "quick", luminance_noise: 40 }))).toBe(false);
  expect(asksForSlow(with_({ noise_method: "best", luminance_noise: 40 }))).toBe(true);
  expect(asksForSlow(with_({ noise_method: "best", colour_noise: 1 }))).toBe(true);
  expect(asksForSlow(with_({ noise_method: "best", colour_noise: 1 }, ["definition"]))).toBe(false);
});

it("the magnifier stays inside the picture, and takes all of a tiny one", () => {
  const picture = { width: 3000, height: 2000 };
  expect(loupeWindow({ x: 1500, y: 1000 }, picture)).toMatchObject({ x: 1452, y: 952, width: 96, height: 96 });
  expect(loupeWindow({ x: 2, y: 1999 }, picture)).toMatchObject({ x: 0, y: 1904 });
  expect(loupeWindow({ x: 30, y: 10 }, { width: 40, height: 20 })).toMatchObject({
    x: 20,
    y: 0,
    width: 20,
    height: 20,
  });
});

it("a picker is moved by arrows and picks with Enter", () => {
  const from = { x: 100, y: 100, radius: 6 };
  expect(pickerKey({ key: "ArrowRight", shiftKey: false }, from, 2)).toMatchObject({ do: "mark", x: 116, y: 100 });
  expect(pickerKey({ key: "ArrowUp", shiftKey: true }, from, 1)).toMatchObject({
    do: "mark",
    x: 100,
    y: 60,
    radius: 6,
  });
  expect(pickerKey({ key: "Enter", shiftKey: false }, from, 1)).toEqual({ ...from, do: "pick" });
  expect(pickerKey({ key: "a", shiftKey: false }, from, 1)).toBeNull();
});

it("what stands beside the adjusted picture keeps its framing and nothing else", () => {
  const draft: Recipe = structuredClone(NEUTRAL.raw);
  draft.tone.exposure_ev = 1.5;
  draft.framing.angle = 2;
  draft.off = ["tone", "framing"];
  const plain = unadjusted(draft, true);
  expect(plain?.tone).toEqual(NEUTRAL.raw.tone);
  expect(plain?.framing.angle).toBe(2);
  expect(plain?.off).toEqual(["framing"]);
  expect(unadjusted(draft, false)?.tone.view).toBe("linear");
  expect(unadjusted(null, true)).toBeNull();
});

it("asks for warnings and the reach of a key only while they are wanted", () => {
  useBench.setState({ warnings: false, gamut: false, warned: -1, show: "reach", ownKey: null, sensorScope: true });
  expect(adjustedOptions(true, false)).toMatchObject({
    box: true,
    clipping: false,
    show: "picture",
    raw_histogram: false,
  });
  const own = { name: "clay", centre_lightness: 0.5, centre_a: 0, centre_b: 0, reach: 30 };
  const still = { hue: 0, saturation: 0, lightness: 0, grey: 0 };
  const draft = structuredClone(NEUTRAL.raw);
  draft.colour.own_keys = ["b7", "c9"].map((id) => ({ id, ...own, ...still }));
  useBench.setState({ gamut: true, ownKey: "gone", draft });
  expect(adjustedOptions(false, true).show, "a key that was taken away has no reach").toBe("picture");
  useBench.setState({ ownKey: "c9" });
  expect(adjustedOptions(false, true)).toMatchObject({
    clipping: true,
    gamut: true,
    show: "reach",
    key: 1,
    raw_histogram: true,
  });
  useBench.setState({ gamut: false, show: "picture", ownKey: null, sensorScope: false, draft: null });
});

const STRAIGHT: Point[] = [
  [0, 0],
  [1, 1],
];

it("a tone becomes a point on the curve that does not move it", () => {
  const { points, index } = pointAt(STRAIGHT, 0.4);
  expect(points).toHaveLength(3);
  expect(index).toBe(1);
  expect(points[1]?.[0]).toBeCloseTo(0.4, 5);
  for (const x of [0.1, 0.4, 0.8]) expect(evaluate(points, x)).toBeCloseTo(x, 5);
});

it("a point close by is taken instead of a second one beside it", () => {
  const bent: Point[] = [
    [0, 0],
    [0.4, 0.5],
    [1, 1],
  ];
  const near = pointAt(bent, 0.51);
  expect(near.points).toBe(bent);
  expect(near.index).toBe(1);
  const far = pointAt(bent, 0.9);
  expect(far.points).toHaveLength(4);
  expect(far.index).toBe(2);
});

it("tones at the very ends get a point inside the curve", () => {
  for (const tone of [0, 1]) {
    const { points, index } = pointAt(STRAIGHT, tone);
    const xs = points.map((p) => p[0]);
    expect([...xs].sort((a, b) => a - b)).toEqual(xs);
    expect(index).toBe(1);
    expect(points[1]?.[0]).toBeGreaterThan(0);
    expect(points[1]?.[0]).toBeLessThan(1);
  }
});

const pixel = (rgb: number[]) =>
  vi.stubGlobal(
    "fetch",
    vi.fn(
      async () =>
        new Response(JSON.stringify({ rgb, lab: [0, 0, 0] }), { headers: { "Content-Type": "application/json" } }),
    ),
  );

it("dragging on the picture lifts the tone that was pressed, and only the end is saved", async () => {
  const edits: Recipe[] = [];
  let saves = 0;
  const { edit, save } = useBench.getState();
  const draft: Recipe = structuredClone(NEUTRAL.raw);
  useBench.setState({
    frame: 4,
    draft,
    edit: (change) => void edits.push(change(draft)),
    save: () => {
      saves += 1;
    },
  });
  pixel([102, 102, 102]);
  const drag = await startToneDrag(4, { x: 10, y: 20 });
  drag?.(0, true);
  expect([edits.length, saves]).toEqual([0, 0]);
  drag?.(-51, false);
  drag?.(-51, true);
  expect(saves).toBe(1);
  const curve = edits.at(-1)?.tone.curve_rgb as Point[];
  expect(curve[1]?.[0]).toBeCloseTo(0.4, 2);
  expect(curve[1]?.[1]).toBeCloseTo(0.6, 2);
  drag?.(-500, false);
  const raised = edits.at(-1)?.tone.curve_rgb as Point[];
  expect(raised[1]?.[1]).toBe(1);
  // the place was asked for on a frame that is not open any more by the time its tone is known
  const late = startToneDrag(4, { x: 10, y: 20 });
  useBench.setState({ frame: 5 });
  expect(await late).toBeNull();
  useBench.setState({ edit, save });
});

it("a tone that cannot be read is said and starts no drag", async () => {
  useBench.setState({ draft: structuredClone(NEUTRAL.raw) });
  vi.stubGlobal("fetch", async () => {
    throw new TypeError("gone");
  });
  expect(await startToneDrag(4, { x: 1, y: 1 })).toBeNull();
  expect(useNotices.getState().list[0]?.text).toMatch(/does not answer/);
});

it("values under the pointer are asked one at a time, for the newest place", async () => {
  const asked: number[] = [];
  let answer: () => void = () => undefined;
  vi.stubGlobal("fetch", async (request: Request) => {
    asked.push(((await request.json()) as { x: number }).x);
    await new Promise<void>((done) => {
      answer = done;
    });
    return new Response(JSON.stringify({ rgb: [1, 2, 3], lab: [0, 0, 0] }), {
      headers: { "Content-Type": "application/json" },
    });
  });
  useBench.setState({ draft: structuredClone(NEUTRAL.raw), frame: 4, pixel: null });
  let at: { x: number; y: number } | null = { x: 1, y: 0 };
  const look = throttledPixel(4, () => at);
  look();
  at = { x: 2, y: 0 };
  look();
  at = { x: 3, y: 0 };
  look();
  await vi.waitFor(() => expect(asked).toEqual([1]));
  answer();
  await vi.waitFor(() => expect(asked).toEqual([1, 3]));
  answer();
  await vi.waitFor(() => expect(useBench.getState().pixel?.rgb).toEqual([1, 2, 3]));
  at = null;
  look();
  expect(useBench.getState().pixel).toBeNull();
});

it("values that come after another frame was opened are not that frame's", async () => {
  let answer: () => void = () => undefined;
  vi.stubGlobal("fetch", async () => {
    await new Promise<void>((done) => {
      answer = done;
    });
    return new Response(JSON.stringify({ rgb: [1, 2, 3], lab: [0, 0, 0] }), {
      headers: { "Content-Type": "application/json" },
    });
  });
  useBench.setState({ draft: structuredClone(NEUTRAL.raw), frame: 4, pixel: null });
  let asked = 0;
  const look = throttledPixel(4, () => {
    asked += 1;
    return { x: 1, y: 0 };
  });
  look();
  useBench.setState({ frame: 5 });
  answer();
  // where the pointer is is asked once more when the answer is there
  await vi.waitFor(() => expect(asked).toBe(2));
  expect(useBench.getState().pixel).toBeNull();
});
