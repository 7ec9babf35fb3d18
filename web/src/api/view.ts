import type { RequestWindow } from "../canvas/viewport";
import { offlineSafe } from "./client";
import type { Recipe } from "./generated/recipe";

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
  render_ms: number;
  picture_bytes: number;
  clipping_bytes: number;
  as_shot: { temperature_kelvin: number; tint: number };
  notes: string[];
}

export interface View {
  header: ViewHeader;
  picture: ImageBitmap;
  clipping: ImageBitmap | null;
}

/** Takes a packed answer apart: header length, header, picture, clipping map. */
export function unpack(data: ArrayBuffer): { header: ViewHeader; picture: Blob; clipping: Blob | null } {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as ViewHeader;
  const start = 4 + length;
  const picture = new Blob([data.slice(start, start + header.picture_bytes)], { type: "image/jpeg" });
  const rest = start + header.picture_bytes;
  const clipping = header.clipping_bytes
    ? new Blob([data.slice(rest, rest + header.clipping_bytes)], { type: "image/png" })
    : null;
  return { header, picture, clipping };
}

/** Renders a window of a frame; recipe null shows it as it came in. */
export async function fetchView(
  frame: number,
  recipe: Recipe | null,
  window: RequestWindow,
  clipping: boolean,
  signal?: AbortSignal,
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
        clipping,
      }),
      signal,
    }),
  );
  const parts = unpack(await response.arrayBuffer());
  const [picture, mask] = await Promise.all([
    createImageBitmap(parts.picture),
    parts.clipping ? createImageBitmap(parts.clipping) : Promise.resolve(null),
  ]);
  return { header: parts.header, picture, clipping: mask };
}
