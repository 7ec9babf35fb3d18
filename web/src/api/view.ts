import { Sheet } from "../canvas/sheet";
import type { RequestWindow } from "../canvas/viewport";
import { tab } from "../state/tab";
import { offlineSafe } from "./client";
import type { components } from "./generated/api";
import type { Recipe } from "./generated/recipe";
import { answered, packed, UNKNOWN_PIECE } from "./pieces";

type Schemas = components["schemas"];
/** What is told of a view: its window, its measurements, and how its bytes are divided. */
export type ViewHeader = Schemas["ViewHeader"];
/** Where things lie on the corrected plane, in its pixels (0 = where the picture's middle went). */
export type FramingFacts = Schemas["FramingFacts"];

export interface View {
  header: ViewHeader;
  picture: Sheet;
  clipping: ImageBitmap | null;
}

/** Takes a packed answer apart: header length, header, picture (coded strips of rows, or its plain pixels), clipping map. */
export function unpack(data: ArrayBuffer): {
  header: ViewHeader;
  strips: Blob[];
  pixels: ImageData | null;
  clipping: Blob | null;
} {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as ViewHeader;
  let at = 4 + length;
  const next = (bytes: number) => {
    at += bytes;
    return at - bytes;
  };
  const coded = (bytes: number, type: string) => new Blob([new Uint8Array(data, next(bytes), bytes)], { type });
  const [first = 0] = header.strips;
  const pixels = header.plain
    ? new ImageData(new Uint8ClampedArray(data, next(first), first), header.width, header.height)
    : null;
  const strips = pixels ? [] : header.strips.map((bytes) => coded(bytes, "image/jpeg"));
  const clipping = header.clipping_bytes ? coded(header.clipping_bytes, "image/png") : null;
  return { header, strips, pixels, clipping };
}

/** Whether the server runs on the same machine, so that bytes cost next to nothing on their way. */
export const isHere = (host: string): boolean => /^(localhost|127(\.\d+){3}|\[::1\])$/.test(host);

type Asked = Schemas["ViewIn"];
/** What is asked of a view beside its recipe and its window. */
export type ViewOptions = Partial<Omit<Asked, "recipe" | "line" | "plane" | "plain" | keyof Window>> & {
  /** Instead of the finished picture this rectangle of the corrected plane. */
  plane?: readonly [number, number, number, number];
  /** The place on this page that the answer is for; a newer request of the same place makes this one unwanted. */
  place?: string;
};
type Window = Pick<Asked, "scaled_width" | "scaled_height" | "x" | "y" | "width" | "height">;

/** What is told of a picture's size is told of the sharp one's, also while a hand moves and a share of it is shown. */
export function toldOf(header: ViewHeader, share: number): ViewHeader {
  const scaled = (v: number) => Math.round(v / share);
  return { ...header, scaled_width: scaled(header.scaled_width), scaled_height: scaled(header.scaled_height) };
}

export function closeView(view: View | null): void {
  view?.picture.close();
  view?.clipping?.close();
}

/** Requests of this page, counted as they are asked: on their ways to the server one may overtake another. */
let asked = 0;

/** Renders a window of a frame; recipe null shows it as it came in. `received` is called when only decoding is left. */
export async function fetchView(
  frame: number,
  recipe: Recipe | null,
  window: RequestWindow,
  options: ViewOptions,
  signal?: AbortSignal,
  received?: () => void,
): Promise<View> {
  const { place, ...others } = options;
  const { scaledWidth, scaledHeight, x, y, width, height } = window;
  const part: Window = { scaled_width: scaledWidth, scaled_height: scaledHeight, x, y, width, height };
  const body: Partial<Omit<Asked, "plane">> & Pick<ViewOptions, "plane"> & Window = {
    recipe,
    ...part,
    ...others,
    ...(others.quick && isHere(location.hostname) ? { plain: true } : {}),
    line: place ? `${tab}:${place}` : "",
    number: ++asked,
  };
  const ask = (text: string) =>
    fetch(`/api/frames/${frame}/view`, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-Zincplate": "1" },
      body: text,
      signal,
    });
  const response = await offlineSafe(async () => {
    const text = packed(body);
    const first = await ask(text);
    if (first.ok) answered(text);
    return first.status === UNKNOWN_PIECE ? ask(packed(body, true)) : first;
  });
  // asked for something newer meanwhile: the same as having been called off
  if (response.status === 204) throw new DOMException("superseded", "AbortError");
  const parts = unpack(await response.arrayBuffer());
  received?.();
  const [strips, mask] = await Promise.all([
    Promise.all(parts.strips.map((strip) => createImageBitmap(strip))),
    parts.clipping ? createImageBitmap(parts.clipping) : Promise.resolve(null),
  ]);
  return { header: parts.header, picture: new Sheet(strips, parts.pixels), clipping: mask };
}
