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
) -> Float32:
    """Scene planes (c, h, w) through pose and lens onto the sensor, (c, height, width); sharp everywhere, no fall-off.

    A single plane is drawn without lateral colour (for depth and masks). OpenCV reads the scene (bicubic) at 1/32 pixel.
    """
    half_height = min(width, height) / 2
    reach = float(np.hypot(width, height) / 2 / half_height) * 1.02
    scales = [lens.red_scale, 1.0, lens.blue_scale] if planes.shape[0] == 3 else [1.0] * planes.shape[0]
    out = np.empty((planes.shape[0], height, width), np.float32)
    map_x, map_y = np.empty((2, height, width), np.float32)
    table = radial_table(lens, reach)
    known = None
    for plane, scale, target in zip(planes, scales, out, strict=True):
        if scale != known:
            _places(
                table, reach, float(scale), float(focal_px), turn, float(scene_focal_px), float(scene_centre[0]),
                float(scene_centre[1]), cylinder, half_height, map_x, map_y,
            )  # fmt: skip
            known = scale
        cv2.remap(
            np.ascontiguousarray(plane, np.float32), map_x, map_y, cv2.INTER_CUBIC, dst=target, borderMode=cv2.BORDER_REPLICATE
        )
    return np.maximum(out, 0, out=out)


def darken(planes: Float32, lens: LensState) -> None:
    """Fall-off to the corners, in place."""
    if not any(lens.fall_off):
        return
    _, h, w = planes.shape
    half = np.hypot(w, h) / 2
    y2 = ((np.arange(h, dtype=np.float32) - (h - 1) / 2) / half)[:, None] ** 2
    x2 = ((np.arange(w, dtype=np.float32) - (w - 1) / 2) / half)[None] ** 2
    r2 = x2 + y2
    a, b, c = (np.float32(k) for k in lens.fall_off)
    planes *= 1 + r2 * (a + r2 * (b + r2 * c))


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


def defocus(planes: Float32, circle_px: Float32, nearer: NDArray[np.bool_]) -> Float32:
    """Depth of field: layers of like blur, blurred as discs and laid over one another from far to near.

    planes (3, h, w); circle_px (h, w) diameters; nearer (h, w) where the subject is nearer than the focus. Layers that lie
    behind are filled from their own blur, so that nothing in front bleeds into them.
    """
    edges = [0.0, 1.0]
    while edges[-1] < float(circle_px.max()):
        edges.append(max(edges[-1] * 1.32, edges[-1] + 0.8))
    signed = np.where(nearer, circle_px, -circle_px)
    levels = sorted({-e for e in edges} | set(edges))
    image = np.ascontiguousarray(np.moveaxis(planes, 0, -1))
    out = np.zeros_like(image)
    covered = np.zeros(circle_px.shape, np.float32)
    for low, high in itertools.pairwise(levels):  # far (negative) to near (positive)
        middle, spread = (low + high) / 2, (high - low) / 2
        weight = np.clip((spread * 1.5 - np.abs(signed - middle)) / spread + 0.5, 0, 1).astype(np.float32)
        if high == levels[-1]:
            weight[signed >= high] = 1
        if low == levels[0]:
            weight[signed <= low] = 1
        if not weight.any():
            continue
        diameter = abs(middle)
        if diameter > 1.0:
            kernel = _disc(diameter)
            colour = cv2.filter2D(image * weight[..., None], -1, kernel, borderType=cv2.BORDER_REFLECT)
            cover = cv2.filter2D(weight, -1, kernel, borderType=cv2.BORDER_REFLECT)
        else:
            colour, cover = image * weight[..., None], weight
        cover = np.minimum(cover, 1)
        colour = colour / np.maximum(cover, 1e-6)[..., None]
        share = np.clip(cover, 0, 1)
        total = covered * (1 - share) + share
        out = (out * (covered * (1 - share))[..., None] + colour * share[..., None]) / np.maximum(total, 1e-6)[..., None]
        covered = total
    return np.ascontiguousarray(np.moveaxis(out, -1, 0), np.float32)


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
