import { api, need, offlineSafe } from "../../api/client";
import type { Recipe } from "../../api/generated/recipe";
import type { View, ViewOptions } from "../../api/view";
import { evaluate, type Point } from "../../canvas/curve";
import { Sheet } from "../../canvas/sheet";
import type { Intention } from "../../canvas/tools";
import type { RequestWindow, Size } from "../../canvas/viewport";
import { useBench } from "../../state/bench";
import { complain } from "../../state/notices";
import { ARROWS } from "../../ui/arrows";
import { neutralOf, withControl } from "./steps/control";

/** One view that is wanted. */
export interface Ask {
  frame: number;
  recipe: Recipe | null;
  window: RequestWindow;
  options: ViewOptions;
  whole: boolean;
  which: "adjusted" | "original";
  since: number;
  /** A hand is moving. */
  moving: boolean;
  /** Of the full size of each side. */
  share: number;
  /** Smaller or less exact, since a hand moves. */
  quick: boolean;
  /** The same as a delivery has it, where that takes seconds. */
  slow: boolean;
}

/** Whether a recipe asks for the noise reduction that takes seconds: what is in sight is worked out so once it rests. */
export function asksForSlow(recipe: Recipe | null): boolean {
  if (!recipe || recipe.off.includes("definition")) return false;
  const { noise_method, luminance_noise, colour_noise } = recipe.definition;
  return noise_method === "best" && (luminance_noise > 0 || colour_noise > 0);
}

/** Number of the key or of the pass that is shown; 0 where none is, -1 where the one that should be is not there. */
function shownNumber({ show, draft, ownKey, openPass }: ReturnType<typeof useBench.getState>): number {
  if (show === "reach") return draft?.colour.own_keys.findIndex((k) => k.id === ownKey) ?? -1;
  if (show === "area" || show === "area_alone" || show === "area_outline")
    return draft?.passes.passes.findIndex((p) => p.id === openPass) ?? -1;
  return 0;
}

/** What is asked of the developed picture beside the picture itself, as the bench stands now. */
export function adjustedOptions(isWhole: boolean, raw: boolean): ViewOptions {
  const s = useBench.getState();
  const number = shownNumber(s);
  return {
    box: isWhole,
    clipping: s.warnings || s.gamut,
    warned: s.warned,
    gamut: s.gamut,
    show: number < 0 ? "picture" : s.show,
    key: Math.max(number, 0),
    raw_histogram: s.sensorScope && raw,
  };
}

export interface KeyCentre {
  centre_lightness: number;
  centre_a: number;
  centre_b: number;
}

/** The camera's own picture as a stand-in until ours is there. */
export async function previewOf(frame: number, embedded: boolean, picture: Size): Promise<View | null> {
  if (!embedded) return null;
  try {
    const response = await offlineSafe(() => fetch(`/api/frames/${frame}/preview`));
    if (response.status === 204) return null;
    const image = await createImageBitmap(await response.blob());
    const { width, height } = image;
    const header = {
      scaled_width: width,
      scaled_height: height,
      x: 0,
      y: 0,
      width,
      height,
      full_width: picture.width,
      full_height: picture.height,
      histogram: [],
      clipped: [0, 0, 0] as [number, number, number],
      channels: [],
      raw_histogram: null,
      outside_gamut: 0,
      hot_pixels: null,
      render_ms: 0,
      plain: false,
      strips: [],
      clipping_bytes: 0,
      as_shot: { temperature_kelvin: 0, tint: 0 },
      notes: [],
      bare: 0,
      framing: null,
    };
    return { header, picture: new Sheet([image]), clipping: null };
  } catch {
    return null; // no stand-in, then: the picture itself is on its way
  }
}

/** The frame as it came in, seen through the framing of now: what stands beside the adjusted picture covers the same places. */
export function unadjusted(draft: Recipe | null, raw: boolean): Recipe | null {
  if (!draft) return null;
  const off = draft.off.filter((step) => step === "framing");
  return { ...neutralOf(raw), framing: draft.framing, off };
}

/** Full-size pixels across the magnifier. */
const LOUPE = 96;

/** The square about a place that the magnifier shows, kept inside the picture. */
export function loupeWindow(at: { x: number; y: number }, picture: Size): RequestWindow {
  const size = Math.min(LOUPE, picture.width, picture.height);
  const corner = (v: number, full: number) => Math.min(Math.max(v - Math.floor(size / 2), 0), full - size);
  return {
    scaledWidth: picture.width,
    scaledHeight: picture.height,
    x: corner(at.x, picture.width),
    y: corner(at.y, picture.height),
    width: size,
    height: size,
  };
}

/** The pickers without a pointer: arrows move a mark (Shift further), Enter picks there. */
export function pickerKey(
  e: { key: string; shiftKey: boolean },
  from: { x: number; y: number; radius: number },
  density: number,
): Intention | null {
  const step = ARROWS[e.key];
  const size = (e.shiftKey ? 40 : 8) * density;
  if (step) return { ...from, do: "mark", x: from.x + step[0] * size, y: from.y + step[1] * size };
  return e.key === "Enter" ? { ...from, do: "pick" } : null;
}

/** Asks for the values under the pointer, one request at a time, the newest place only. */
export function throttledPixel(frame: number, where: () => { x: number; y: number } | null): () => void {
  let busy = false;
  let again = false;
  const run = async () => {
    const at = where();
    const recipe = useBench.getState().draft;
    if (!at || !recipe) {
      useBench.setState({ pixel: null });
      return;
    }
    if (busy) {
      again = true;
      return;
    }
    busy = true;
    try {
      const pixel = await need(
        api.POST("/api/frames/{id}/pixel", {
          params: { path: { id: frame } },
          body: { ...at, radius: 0, recipe },
        }),
      );
      if (where() && useBench.getState().frame === frame) useBench.setState({ pixel });
    } catch {
      useBench.setState({ pixel: null });
    }
    busy = false;
    if (again) {
      again = false;
      void run();
    }
  };
  return () => void run();
}

/** Moves the tone that was pressed on by pixels upward (negative dy is up); end saves. */
export type ToneDrag = (dy: number, end: boolean) => void;

const NEAR = 0.045;

/** Puts a point of the RGB curve where the tone under the pointer lies (or takes one close by) and moves it with the drag. */
export async function startToneDrag(frame: number, at: { x: number; y: number }): Promise<ToneDrag | null> {
  const recipe = useBench.getState().draft;
  if (!recipe) return null;
  try {
    const found = await need(
      api.POST("/api/frames/{id}/pixel", {
        params: { path: { id: frame } },
        body: { x: at.x, y: at.y, radius: 3, recipe },
      }),
    );
    if (useBench.getState().frame !== frame) return null;
    const tone = (0.2126 * (found.rgb[0] ?? 0) + 0.7152 * (found.rgb[1] ?? 0) + 0.0722 * (found.rgb[2] ?? 0)) / 255;
    const { points, index } = pointAt(recipe.tone.curve_rgb as Point[], tone);
    const [x, y] = points[index] as Point;
    return (dy, end) => {
      const { edit, save } = useBench.getState();
      const moved = points.map((p, i) => (i === index ? ([x, Math.min(Math.max(y - dy / 255, 0), 1)] as Point) : p));
      if (end && dy === 0) return;
      edit((r) => withControl(r, "tone", "curve_rgb", moved));
      if (end) save();
    };
  } catch (error) {
    complain(error);
    return null;
  }
}

/** The point of a curve whose output is a tone: one that is there already, or a new one on the line. */
export function pointAt(curve: Point[], tone: number): { points: Point[]; index: number } {
  let low = 0;
  let high = 1;
  for (let i = 0; i < 24; i++) {
    const middle = (low + high) / 2;
    if (evaluate(curve, middle) < tone) low = middle;
    else high = middle;
  }
  const x = (low + high) / 2;
  const near = curve.findIndex((p, i) => i > 0 && i < curve.length - 1 && Math.abs(p[0] - x) < NEAR);
  if (near >= 0) return { points: curve, index: near };
  const index = Math.max(
    curve.findIndex((p) => p[0] > x),
    1,
  );
  const inside = Math.min(Math.max(x, (curve[index - 1] as Point)[0] + 0.01), (curve[index] as Point)[0] - 0.01);
  const point: Point = [inside, evaluate(curve, inside)];
  return { points: [...curve.slice(0, index), point, ...curve.slice(index)], index };
}
