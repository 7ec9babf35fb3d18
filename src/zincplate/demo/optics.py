"""What reaches the sensor: the scene through pose, lens, depth of field, blur, movement and dust."""

import itertools
from functools import lru_cache

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.demo.lens import LensState

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
_RADII = 4096
_LARGEST_CIRCLE_PX = 160.0


def rotation(yaw_degrees: float, pitch_degrees: float, roll_degrees: float) -> Float64:
    """Camera to scene: x right, y down, z ahead. Yaw turns to the right, pitch up, roll clockwise as seen from behind."""
    yaw, pitch, roll = np.radians([yaw_degrees, pitch_degrees, roll_degrees])
    cy, sy, cp, sp, cr, sr = np.cos(yaw), np.sin(yaw), np.cos(pitch), np.sin(pitch), np.cos(roll), np.sin(roll)
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_x = np.array([[1, 0, 0], [0, cp, -sp], [0, sp, cp]])
    about_z = np.array([[cr, -sr, 0], [sr, cr, 0], [0, 0, 1]])
    return np.asarray(about_y @ about_x @ about_z)


@lru_cache(maxsize=16)
def radial_table(lens: LensState, reach: float) -> Float64:
    """Undistorted radius / sensor radius, at ``_RADII`` radii from 0 to ``reach`` (half the shorter side = 1)."""
    r = np.linspace(0, reach, _RADII)
    r[0] = 1e-9
    return np.ascontiguousarray(lens.undistorted(r) / r)


@njit(cache=True, parallel=True, error_model="numpy")
def _places(table, reach, scale, focal_px, turn, scene_focal, centre_x, centre_y, cylinder, half_height, map_x, map_y):  # type: ignore[no-untyped-def]
    """Where in the scene every sensor pixel looks."""
    height, width = map_x.shape
    cx, cy = (width - 1) / 2, (height - 1) / 2
    steps = table.size - 1
    inverse = 1.0 / (half_height * scale)
    to_table = steps / reach
    to_tangent = half_height / focal_px
    a0, a1, a2 = turn[0, 0], turn[0, 1], turn[0, 2]
    b0, b1, b2 = turn[1, 0], turn[1, 1], turn[1, 2]
    c0, c1, c2 = turn[2, 0], turn[2, 1], turn[2, 2]
    for y in prange(height):
        v = (y - cy) * inverse
        for x in range(width):
            u = (x - cx) * inverse
            at = min(np.sqrt(u * u + v * v) * to_table, steps - 1e-6)
            i = np.uint32(at)
            ratio = (table[i] + (table[i + np.uint32(1)] - table[i]) * (at - i)) * to_tangent
            dx, dy = u * ratio, v * ratio
            px, py, pz = a0 * dx + a1 * dy + a2, b0 * dx + b1 * dy + b2, c0 * dx + c1 * dy + c2
            if cylinder:
                map_x[y, x] = centre_x + scene_focal * np.arctan2(px, pz)
                map_y[y, x] = centre_y + scene_focal * py / np.sqrt(px * px + pz * pz)
            else:
                toward = scene_focal / max(pz, 1e-6)
                map_x[y, x] = centre_x + px * toward
                map_y[y, x] = centre_y + py * toward


def draw(
    planes: Float32,
    width: int,
    height: int,
    lens: LensState,
    focal_px: float,
    turn: Float64,
    scene_focal_px: float,
    scene_centre: tuple[float, float],
    cylinder: bool,
    nearest: bool = False,
) -> Float32:
    """Scene planes (c, h, w) through pose and lens onto the sensor, (c, height, width); sharp everywhere, no fall-off.

    ``nearest`` takes the nearest element, for depth. A single plane is drawn without lateral colour (for depth and
    masks). OpenCV reads the scene (bicubic) at 1/32 pixel.
    """
    half_height = min(width, height) / 2
    reach = float(np.hypot(width, height) / 2 / half_height) * 1.02
    scales = [lens.red_scale, 1.0, lens.blue_scale] if planes.shape[0] == 3 else [1.0] * planes.shape[0]
    out = np.empty((planes.shape[0], height, width), np.float32)
    map_x, map_y = np.empty((2, height, width), np.float32)
    table = radial_table(lens, reach)
    known = None
    way = cv2.INTER_NEAREST if nearest else cv2.INTER_CUBIC
    for plane, scale, target in zip(planes, scales, out, strict=True):
        if scale != known:
            _places(
                table, reach, float(scale), float(focal_px), turn, float(scene_focal_px), float(scene_centre[0]),
                float(scene_centre[1]), cylinder, half_height, map_x, map_y,
            )  # fmt: skip
            known = scale
        cv2.remap(np.ascontiguousarray(plane, np.float32), map_x, map_y, way, dst=target, borderMode=cv2.BORDER_REPLICATE)
    return np.maximum(out, 0, out=out)


@njit(cache=True, parallel=True)
def _scale(planes, gains, a, b, c):  # type: ignore[no-untyped-def]
    channels, height, width = planes.shape
    half2 = (width * width + height * height) / 4.0
    for job in prange(channels * height):
        line = planes[job // height, job % height]
        gain = gains[job // height]
        v = (job % height) - (height - 1) / 2
        v2 = v * v / half2
        for x in range(width):
            u = x - (width - 1) / 2
            r2 = np.float32(v2 + u * u / half2)
            line[x] *= gain * (np.float32(1.0) + r2 * (a + r2 * (b + r2 * c)))


def darken(planes: Float32, lens: LensState, gains: tuple[float, float, float] = (1.0, 1.0, 1.0)) -> None:
    """Fall-off to the corners and one gain for each plane, in place."""
    _scale(planes, np.array(gains, np.float32), *(np.float32(k) for k in lens.fall_off))


def blur_circle_px(
    depth_m: Float32, focus_distance_m: float, focal_length_mm: float, f_number: float, pixel_pitch_um: float
) -> Float32:
    """Diameter of the circle of confusion, pixels; thin lens. Depth 0 stands for infinity.

    c = A |d - s| / d * f / (s - f), A = f / N (e.g. Ray, Applied Photographic Optics, 3rd ed., chapter 22; from memory).
    """
    f = focal_length_mm / 1000
    share = np.where(depth_m > 0, np.abs(depth_m - focus_distance_m) / np.maximum(depth_m, 1e-6), 1.0)
    return np.asarray(f / f_number * share * f / (focus_distance_m - f) / (pixel_pitch_um * 1e-6), np.float32)


def _disc(diameter: float) -> Float32:
    """Disc of unit sum whose edge is antialiased; a diameter below 1 pixel does nothing."""
    radius = diameter / 2
    n = int(np.ceil(radius))
    yy, xx = np.mgrid[-n : n + 1, -n : n + 1].astype(np.float32)
    kernel = np.clip(radius + 0.5 - np.hypot(xx, yy), 0, 1)
    return np.asarray(kernel / kernel.sum(), np.float32)


def _blurred(layer: Float32, diameter: float) -> Float32:
    """(h, w, 4) under a disc; wide discs at a reduced size, where five to ten pixels draw them well enough."""
    step = int(diameter // 5)
    if step < 2:
        return np.asarray(cv2.filter2D(layer, -1, _disc(diameter), borderType=cv2.BORDER_REPLICATE))
    h, w = layer.shape[:2]
    rows, columns = -(-h // step), -(-w // step)
    padded = cv2.copyMakeBorder(layer, 0, rows * step - h, 0, columns * step - w, cv2.BORDER_REPLICATE)
    small = cv2.resize(padded, (columns, rows), interpolation=cv2.INTER_AREA)
    small = cv2.filter2D(small, -1, _disc(diameter / step), borderType=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(small, (columns * step, rows * step), interpolation=cv2.INTER_LINEAR)[:h, :w])


@njit(cache=True, parallel=True)
def _rows_of_layers(signed, middles, spreads, first, last):  # type: ignore[no-untyped-def]
    """For every row and layer, first and last column that the layer touches (first > last: none)."""
    height, width = signed.shape
    count = middles.size
    for y in prange(height):
        for k in range(count):
            first[y, k], last[y, k] = width, -1
        for x in range(width):
            for k in range(count):
                away = signed[y, x] - middles[k]
                if abs(away) < 2 * spreads[k] or (k == 0 and away < 0) or (k == count - 1 and away > 0):
                    first[y, k] = min(first[y, k], x)
                    last[y, k] = x


@njit(cache=True, parallel=True)
def _layer(planes, signed, y0, x0, middle, spread, lowest, highest, out):  # type: ignore[no-untyped-def]
    """One layer's part of the picture, premultiplied, with its weight as fourth channel."""
    rows, columns = out.shape[:2]
    for y in prange(rows):
        for x in range(columns):
            away = signed[y0 + y, x0 + x] - middle
            weight = min(max((spread * np.float32(1.5) - abs(away)) / spread + np.float32(0.5), np.float32(0)), np.float32(1))
            if (lowest and away < 0) or (highest and away > 0):
                weight = np.float32(1)
            for c in range(3):
                out[y, x, c] = planes[c, y0 + y, x0 + x] * weight
            out[y, x, 3] = weight


@njit(cache=True, parallel=True)
def _lay(layer, y0, x0, out):  # type: ignore[no-untyped-def]
    """Lays a layer over what is there; one that covers more than all covers all."""
    rows, columns = layer.shape[:2]
    for y in prange(rows):
        for x in range(columns):
            scale = 1 / max(layer[y, x, 3], np.float32(1))
            rest = 1 - layer[y, x, 3] * scale
            for c in range(4):
                out[y0 + y, x0 + x, c] = out[y0 + y, x0 + x, c] * rest + layer[y, x, c] * scale


def defocus(planes: Float32, circle_px: Float32, nearer: NDArray[np.bool_]) -> Float32:
    """Depth of field: layers of like blur, blurred as discs and laid over one another from far to near.

    planes (3, h, w); circle_px (h, w) diameters; nearer (h, w) where the subject is nearer than the focus. Layers that lie
    behind are filled from their own blur, so that nothing in front bleeds into them. Circles end at 160 pixels.
    """
    circle_px = np.minimum(circle_px, _LARGEST_CIRCLE_PX)
    edges = [0.0, 1.0]
    while edges[-1] < float(circle_px.max()):
        edges.append(max(edges[-1] * 1.55, edges[-1] + 1.1))
    signed = np.where(nearer, circle_px, -circle_px)
    levels = np.array(sorted({-e for e in edges} | set(edges)), np.float32)  # far (negative) to near (positive)
    middles, spreads = (levels[1:] + levels[:-1]) / 2, (levels[1:] - levels[:-1]) / 2
    h, w = circle_px.shape
    first, last = np.empty((2, h, middles.size), np.int32)
    _rows_of_layers(signed, middles, spreads, first, last)
    out = np.zeros((h, w, 4), np.float32)  # premultiplied, with what it covers
    for k, (middle, spread) in enumerate(zip(middles, spreads, strict=True)):
        rows = np.flatnonzero(last[:, k] >= 0)
        if not rows.size:
            continue
        reach = int(abs(middle) / 2) + 2
        y0, y1 = max(int(rows[0]) - reach, 0), min(int(rows[-1]) + 1 + reach, h)
        x0, x1 = max(int(first[:, k].min()) - reach, 0), min(int(last[:, k].max()) + 1 + reach, w)
        layer = np.empty((y1 - y0, x1 - x0, 4), np.float32)
        _layer(planes, signed, y0, x0, middle, spread, k == 0, k == middles.size - 1, layer)
        _lay(_blurred(layer, abs(float(middle))) if abs(middle) > 1 else layer, y0, x0, out)
    return np.ascontiguousarray(np.moveaxis(out[..., :3] / np.maximum(out[..., 3:], 1e-6), -1, 0), np.float32)


def shake_kernel(path_px: tuple[tuple[float, float], ...]) -> Float32:
    """Point spread of a camera that moved evenly along a path of (x, y) points during the exposure; unit sum, odd size.

    The path's own middle of mass lies at the kernel's centre.
    """
    points = np.asarray(path_px, np.float64)
    fine = np.concatenate([np.linspace(a, b, 64, endpoint=False) for a, b in itertools.pairwise(points)] + [points[-1:]])
    fine = fine - fine.mean(0)
    n = int(np.ceil(np.abs(fine).max())) + 1
    kernel = np.zeros((2 * n + 1, 2 * n + 1), np.float32)
    for x, y in fine:  # each moment falls on four pixels
        ix, iy = int(np.floor(x)), int(np.floor(y))
        fx, fy = x - ix, y - iy
        for dy, wy in ((0, 1 - fy), (1, fy)):
            for dx, wx in ((0, 1 - fx), (1, fx)):
                kernel[iy + dy + n, ix + dx + n] += wx * wy
    return np.asarray(kernel / kernel.sum(), np.float32)


def gaussian(planes: Float32, sigma_px: float) -> None:
    """Blur in place."""
    for plane in planes:
        cv2.GaussianBlur(plane, (0, 0), sigma_px, dst=plane)


def dust(planes: Float32, spots_um: Float64, f_number: float, pixel_pitch_um: float, gap_um: float = 1500.0) -> None:
    """Shadows of dust that lies ``gap_um`` above the sensor, in place; spots_um rows are x, y, radius.

    The cone of light at the dust has the radius gap / (2 N): small apertures give small hard shadows.
    """
    cone = gap_um / 2 / f_number
    h, w = planes.shape[1:]
    for x_um, y_um, radius in spots_um:
        reach, soft = (cone + radius) / pixel_pitch_um, abs(cone - radius) / pixel_pitch_um
        depth = 0.75 * min(1.0, (radius / cone) ** 2)
        x, y = x_um / pixel_pitch_um, y_um / pixel_pitch_um
        x0, x1 = max(int(x - reach), 0), min(int(x + reach) + 2, w)
        y0, y1 = max(int(y - reach), 0), min(int(y + reach) + 2, h)
        if x0 >= x1 or y0 >= y1:
            continue
        yy, xx = np.mgrid[y0:y1, x0:x1].astype(np.float32)
        r = np.hypot(xx - x, yy - y)
        t = np.clip((reach - r) / max(reach - soft, 0.5), 0, 1)
        planes[:, y0:y1, x0:x1] *= 1 - np.float32(depth) * t * t * (3 - 2 * t)
