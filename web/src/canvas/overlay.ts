/** What is drawn over the picture: the picker's mark, pinned samplers, the magnifier. Device pixels. */
import type { Sheet } from "./sheet";
import type { Placement } from "./viewport";

export function drawMarker(
  canvas: HTMLCanvasElement,
  at: { x: number; y: number; radius: number } | null,
  density: number,
): void {
  const context = canvas.getContext("2d");
  if (!context || !at) return;
  for (const [style, width] of [
    ["#f6f6f6", 4],
    ["#161616", 2],
  ] as const) {
    context.strokeStyle = style;
    context.lineWidth = width * density;
    context.strokeRect(at.x - at.radius, at.y - at.radius, 2 * at.radius, 2 * at.radius);
  }
}

/** Crosses with numbers, as surveyors mark a plan. */
export function drawSamplers(
  canvas: HTMLCanvasElement,
  samplers: readonly { x: number; y: number }[],
  at: Placement,
  density: number,
): void {
  const context = canvas.getContext("2d");
  if (!context) return;
  context.font = `600 ${11 * density}px Archivo, sans-serif`;
  samplers.forEach((s, i) => {
    const x = at.left + (s.x + 0.5) * at.scale;
    const y = at.top + (s.y + 0.5) * at.scale;
    const r = 7 * density;
    for (const [style, width] of [
      ["#f6f6f6", 4],
      ["#161616", 1.6],
    ] as const) {
      context.strokeStyle = style;
      context.lineWidth = width * density;
      context.beginPath();
      context.moveTo(x - r, y);
      context.lineTo(x + r, y);
      context.moveTo(x, y - r);
      context.lineTo(x, y + r);
      context.stroke();
    }
    context.lineWidth = 3 * density;
    context.strokeStyle = "#f6f6f6";
    context.strokeText(String(i + 1), x + 0.5 * r, y - 0.6 * r);
    context.fillStyle = "#161616";
    context.fillText(String(i + 1), x + 0.5 * r, y - 0.6 * r);
  });
}

/** Full-size pixels, each two screen pixels wide, in a square that keeps clear of the pointer and inside the canvas. */
export function drawLoupe(
  canvas: HTMLCanvasElement,
  picture: Sheet,
  at: { x: number; y: number },
  density: number,
): void {
  const context = canvas.getContext("2d");
  if (!context) return;
  const side = picture.width * 2 * density;
  const gap = 18 * density;
  const along = (v: number, room: number) => (v + gap + side < room ? v + gap : v - gap - side);
  const x = along(at.x, canvas.width);
  const y = along(at.y, canvas.height);
  context.imageSmoothingEnabled = false;
  picture.draw(context, x, y, side, side);
  context.strokeStyle = "#f6f6f6";
  context.lineWidth = 3 * density;
  context.strokeRect(x, y, side, side);
  context.strokeStyle = "#161616";
  context.lineWidth = density;
  context.strokeRect(x, y, side, side);
  context.strokeRect(x + side / 2 - 2 * density, y + side / 2 - 2 * density, 4 * density, 4 * density);
}
