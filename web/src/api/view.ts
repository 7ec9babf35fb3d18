import { Sheet } from "../canvas/sheet";
import type { RequestWindow } from "../canvas/viewport";
import { tab } from "../state/tab";
import { offlineSafe } from "./client";
import type { Recipe } from "./generated/recipe";

/** Where things lie on the corrected plane, in its pixels (0 = where the picture's middle went). */
export interface FramingFacts {
  /** What of the plane is shown. */
  plane: [number, number, number, number];
  left: number;
  top: number;
  outline: [number, number][];
  corners: [number, number][];
  around: [number, number, number, number];
  lines: { id: string; along: "level" | "plumb"; start: [number, number]; end: [number, number] }[];
  bent_lines: { id: string; points: [number, number][] }[];
  source_width: number;
  source_height: number;
  /** Share of the finished picture that lies beyond the file's. */
  beyond: number;
  /** How much of that is neither filled by repairs nor has the border stretched to it. */
  bare: number;
  shrunk: boolean;
  profile: string;
  focal_known: boolean;
}

export interface ViewHeader {
  scaled_width: number;
  scaled_height: number;
  x: number;
  y: number;
  width: number;
  height: number;
  full_width: number;
  full_height: number;
  histogram: number[][];
  clipped: [number, number, number];
  /** Shares at the top, at zero, sensor full, by R, G, B. */
  channels: number[][];
  raw_histogram: number[][] | null;
  outside_gamut: number;
  /** Sites of the file that were replaced; null when that is off. */
  hot_pixels: number | null;
  render_ms: number;
  /** Bytes of each strip of rows that the picture is coded in. */
  strips: number[];
  clipping_bytes: number;
  as_shot: { temperature_kelvin: number; tint: number };
  notes: string[];
  /** Share of the finished picture that lies beyond the file's and that no repair has filled. */
  bare: number;
  /** Only when the plane was asked for. */
  framing: FramingFacts | null;
}

export interface View {
  header: ViewHeader;
  picture: Sheet;
  clipping: ImageBitmap | null;
}

/** Takes a packed answer apart: header length, header, picture, clipping map. */
export function unpack(data: ArrayBuffer): { header: ViewHeader; strips: Blob[]; clipping: Blob | null } {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as ViewHeader;
  let at = 4 + length;
  const strips = header.strips.map((bytes) => {
    const strip = new Blob([new Uint8Array(data, at, bytes)], { type: "image/jpeg" });
    at += bytes;
    return strip;
  });
  const clipping = header.clipping_bytes
    ? new Blob([new Uint8Array(data, at, header.clipping_bytes)], { type: "image/png" })
    : null;
  return { header, strips, clipping };
}

export interface ViewOptions {
  clipping?: boolean;
  /** Whose ends the clipping map tells: any channel (-1), red, green or blue (0, 1, 2). */
  warned?: number;
  gamut?: boolean;
  show?: "picture" | "edges" | "reach" | "area" | "area_alone" | "area_outline" | "dust";
  key?: number;
  rawHistogram?: boolean;
  /** The scaled size is a box; the answer says how large the whole became in it. */
  box?: boolean;
  /** The corrected plane instead of the finished picture: a rectangle of it, or all round the picture. */
  plane?: readonly [number, number, number, number];
  around?: boolean;
  /** A hand moves: coded and counted more coarsely. */
  quick?: boolean;
  urgency?: "hand" | "seen" | "rest";
  /** The place on this page that the answer is for; a newer request of the same place makes this one unwanted. */
  place?: string;
}

/** What is told of a picture's size is told of the sharp one's, also while a hand moves and a share of it is shown. */
export function toldOf(header: ViewHeader, share: number): ViewHeader {
  const scaled = (v: number) => Math.round(v / share);
  return { ...header, scaled_width: scaled(header.scaled_width), scaled_height: scaled(header.scaled_height) };
}

export function closeView(view: View | null): void {
  view?.picture.close();
  view?.clipping?.close();
}

/** Renders a window of a frame; recipe null shows it as it came in. `received` is called when only decoding is left. */
export async function fetchView(
  frame: number,
  recipe: Recipe | null,
  window: RequestWindow,
  options: ViewOptions,
  signal?: AbortSignal,
  received?: () => void,
): Promise<View> {
  const response = await offlineSafe(() =>
    fetch(`/api/frames/${frame}/view`, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-Zincplate": "1" },
      body: JSON.stringify({
        recipe,
        scaled_width: window.scaledWidth,
        scaled_height: window.scaledHeight,
        x: window.x,
        y: window.y,
        width: window.width,
        height: window.height,
        clipping: options.clipping ?? false,
        warned: options.warned ?? -1,
        show: options.show ?? "picture",
        key: options.key ?? 0,
        gamut: options.gamut ?? false,
        raw_histogram: options.rawHistogram ?? false,
        box: options.box ?? false,
        plane: options.plane ?? null,
        around: options.around ?? false,
        quick: options.quick ?? false,
        urgency: options.urgency ?? "seen",
        line: options.place ? `${tab}:${options.place}` : "",
      }),
      signal,
    }),
  );
  // asked for something newer meanwhile: the same as having been called off
  if (response.status === 204) throw new DOMException("superseded", "AbortError");
  const parts = unpack(await response.arrayBuffer());
  received?.();
  const [strips, mask] = await Promise.all([
    Promise.all(parts.strips.map((strip) => createImageBitmap(strip))),
    parts.clipping ? createImageBitmap(parts.clipping) : Promise.resolve(null),
  ]);
  return { header: parts.header, picture: new Sheet(strips), clipping: mask };
}
