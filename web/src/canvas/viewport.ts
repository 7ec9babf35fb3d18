/** Where the picture lies in the canvas. Pure arithmetic; sizes in device pixels, places in full-size picture pixels. */
export interface Size {
  width: number;
  height: number;
}

/** zoom "fit", or device pixels per picture pixel; centre is the picture point in the middle of the canvas. */
export interface Viewport {
  zoom: "fit" | number;
  centreX: number;
  centreY: number;
}

export interface Placement {
  scale: number;
  left: number;
  top: number;
}

export const FIT: Viewport = { zoom: "fit", centreX: 0.5, centreY: 0.5 };
export const ZOOM_MAX = 8;
const MARGIN = 18;

export function fitScale(canvas: Size, picture: Size, density: number): number {
  const margin = 2 * MARGIN * density;
  const scale = Math.min((canvas.width - margin) / picture.width, (canvas.height - margin) / picture.height);
  return Math.max(Math.min(scale, 1), 0.01);
}

export function scaleOf(view: Viewport, canvas: Size, picture: Size, density: number): number {
  return view.zoom === "fit" ? fitScale(canvas, picture, density) : view.zoom;
}

/** Scale and top left corner of the picture; a picture smaller than the canvas is centred. */
export function place(view: Viewport, canvas: Size, picture: Size, density: number): Placement {
  const scale = scaleOf(view, canvas, picture, density);
  const width = picture.width * scale;
  const height = picture.height * scale;
  const along = (room: number, size: number, centre: number) =>
    size <= room ? (room - size) / 2 : Math.min(0, Math.max(room - size, room / 2 - centre * size));
  return {
    scale,
    left: Math.round(along(canvas.width, width, view.centreX)),
    top: Math.round(along(canvas.height, height, view.centreY)),
  };
}

/** Zooms so that the picture point under (x, y) stays there. */
export function zoomAt(
  view: Viewport,
  zoom: number,
  x: number,
  y: number,
  canvas: Size,
  picture: Size,
  density: number,
): Viewport {
  const fit = fitScale(canvas, picture, density);
  const next = Math.min(Math.max(zoom, fit), ZOOM_MAX);
  if (next <= fit * 1.001) return FIT;
  const before = place(view, canvas, picture, density);
  const px = (x - before.left) / before.scale;
  const py = (y - before.top) / before.scale;
  return {
    zoom: next,
    centreX: (px + (canvas.width / 2 - x) / next) / picture.width,
    centreY: (py + (canvas.height / 2 - y) / next) / picture.height,
  };
}

/** Moves the picture by device pixels. */
export function panned(view: Viewport, dx: number, dy: number, canvas: Size, picture: Size, density: number): Viewport {
  if (view.zoom === "fit") return view;
  const at = place(view, canvas, picture, density);
  const room = (size: number, full: number, centre: number, d: number) => {
    const half = size / 2 / (full * at.scale);
    const moved = Math.min(Math.max(centre, Math.min(half, 0.5)), Math.max(1 - half, 0.5)) - d / (full * at.scale);
    return half >= 0.5 ? 0.5 : Math.min(Math.max(moved, half), 1 - half);
  };
  return {
    zoom: view.zoom,
    centreX: room(canvas.width, picture.width, view.centreX, dx),
    centreY: room(canvas.height, picture.height, view.centreY, dy),
  };
}

/** A window of the picture scaled to scaledWidth x scaledHeight, in pixels of that scaled picture. */
export interface RequestWindow extends Size {
  scaledWidth: number;
  scaledHeight: number;
  x: number;
  y: number;
}

/** The box that the whole picture is fitted into, whatever its shape turns out to be. */
export function fitBox(canvas: Size, density: number): RequestWindow {
  const margin = 2 * MARGIN * density;
  const room = (v: number) => Math.max(Math.round(v - margin), 1);
  return { scaledWidth: room(canvas.width), scaledHeight: room(canvas.height), x: 0, y: 0, width: 0, height: 0 };
}

/** The part of the picture that is in sight, in pixels of the picture at min(scale, 1). */
export function windowInSight(view: Viewport, canvas: Size, picture: Size, density: number): RequestWindow {
  const at = place(view, canvas, picture, density);
  const served = Math.min(at.scale, 1);
  const scaledWidth = Math.max(Math.round(picture.width * served), 1);
  const scaledHeight = Math.max(Math.round(picture.height * served), 1);
  const range = (offset: number, room: number, full: number, scaled: number) => {
    const ratio = scaled / (full * at.scale);
    const from = Math.max(Math.floor(-offset * ratio), 0);
    const to = Math.min(Math.ceil((room - offset) * ratio), scaled);
    return [from, Math.max(to - from, 1)] as const;
  };
  const [x, width] = range(at.left, canvas.width, picture.width, scaledWidth);
  const [y, height] = range(at.top, canvas.height, picture.height, scaledHeight);
  return { scaledWidth, scaledHeight, x, y, width, height };
}

/** Pixels of the whole picture fitted into a box. */
export function pixelsOf(box: RequestWindow, picture: Size): number {
  const scale = Math.min(box.scaledWidth / picture.width, box.scaledHeight / picture.height, 1);
  return picture.width * picture.height * scale * scale;
}

/** The same window of the picture at a share of its size. */
export function reduced(window: RequestWindow, share: number): RequestWindow {
  if (share >= 1) return window;
  const scaledWidth = Math.max(Math.round(window.scaledWidth * share), 1);
  const scaledHeight = Math.max(Math.round(window.scaledHeight * share), 1);
  const along = (from: number, size: number, full: number, scaled: number) => {
    const start = Math.floor((from * scaled) / full);
    return [start, Math.max(Math.min(Math.ceil(((from + size) * scaled) / full), scaled) - start, 1)] as const;
  };
  const [x, width] = along(window.x, window.width, window.scaledWidth, scaledWidth);
  const [y, height] = along(window.y, window.height, window.scaledHeight, scaledHeight);
  // a box (no window of its own) asks for all of it
  return { scaledWidth, scaledHeight, x, y, width: window.width ? width : 0, height: window.height ? height : 0 };
}
