"""The pattern sheet: a printed page of tile patterns, drawn exactly, and its tired scan.

The page is a picture of reflectance in linear Rec.709. Scanning lays it crooked on the glass, with stains, a fold, dust on the
glass, a lamp that fades to one side, and 8 bits per channel.
"""

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.colour_spaces import SRGB
from zincplate.demo.scenes import Float32, Scene, _octaves

_INKS = np.array(
    [(0.035, 0.06, 0.16), (0.33, 0.06, 0.035), (0.05, 0.16, 0.10), (0.42, 0.26, 0.06), (0.03, 0.03, 0.035)], np.float32
)


def _motif(kind: int, u: Float32, v: Float32) -> NDArray[np.int64]:
    """Ink number (-1: paper) of a tile pattern at positions in tiles."""
    a, b = u % 1 - 0.5, v % 1 - 0.5
    r, angle = np.hypot(a, b), np.arctan2(b, a)
    out = np.full(u.shape, -1)
    if kind == 0:  # quarter circles that join up
        corner = np.hypot(np.abs(a) - 0.5, np.abs(b) - 0.5)
        out[(corner > 0.30) & (corner < 0.44)] = 0
        out[r < 0.13] = 1
    elif kind == 1:  # eight-pointed star
        star = np.minimum(np.maximum(np.abs(a), np.abs(b)), (np.abs(a) + np.abs(b)) / 1.4142) * 2
        out[(star > 0.42) & (star < 0.58)] = 2
        out[star < 0.25] = 3
        out[np.maximum(np.abs(a), np.abs(b)) > 0.47] = 4
    elif kind == 2:  # petals
        petal = np.abs(np.cos(2 * angle)) * 0.46
        out[(r < petal) & (r > petal - 0.16)] = 1
        out[r < 0.07] = 4
        out[(r > 0.5) & (r < 0.56)] = 0
    elif kind == 3:  # basket weave
        over = (np.floor(u * 2) + np.floor(v * 2)) % 2 == 0
        stripe = np.where(over, v * 8, u * 8) % 1
        out[stripe > 0.35] = 0
        out[(stripe > 0.35) & over] = 2
    else:  # knot of two rings
        one, two = np.abs(np.hypot(a - 0.12, b) - 0.27), np.abs(np.hypot(a + 0.12, b) - 0.27)
        out[one < 0.055] = 3
        out[(two < 0.055) & ~((one < 0.075) & (b > 0))] = 0
        out[(np.abs(a) > 0.46) | (np.abs(b) > 0.46)] = 4
    return out


@lru_cache(maxsize=1)
def page(width: int = 2300) -> Float32:
    """(h, w, 3) reflectance of the printed page, A4 portrait; nothing crooked or dirty yet."""
    height = int(width * 1.414) // 2 * 2
    rng = np.random.default_rng(92)
    paper = np.array([0.80, 0.775, 0.70], np.float32) * (1 + 0.012 * _octaves(rng, width, height, 5, 11, 0.8))[..., None]
    out = paper.astype(np.float32)
    unit = width / 21  # centimetres
    ink_wear = 1 + 0.16 * _octaves(rng, width, height, 6, 12, 0.75)
    boxes = [(1.6, 3.4), (11.0, 3.4), (1.6, 12.2), (11.0, 12.2), (6.3, 20.6)]
    for kind, (x_cm, y_cm) in enumerate(boxes):
        w_cm, h_cm, tile_cm = 8.4, (8.0 if kind < 4 else 6.4), (2.0 + 0.2 * kind)
        x0, y0, x1, y1 = (int(v * unit) for v in (x_cm, y_cm, x_cm + w_cm, y_cm + h_cm))
        yy, xx = np.mgrid[y0:y1, x0:x1].astype(np.float32)
        motif = _motif(kind, (xx - x0) / unit / tile_cm, (yy - y0) / unit / tile_cm)
        colour = _INKS[np.maximum(motif, 0)]
        share = cv2.GaussianBlur((motif >= 0).astype(np.float32), (0, 0), 0.9) * np.clip(ink_wear[y0:y1, x0:x1], 0.55, 1)
        out[y0:y1, x0:x1] = out[y0:y1, x0:x1] * (1 - share[..., None]) + colour * share[..., None]
        cv2.rectangle(out, (x0, y0), (x1, y1), (0.03, 0.03, 0.035), max(2, int(0.03 * unit)), cv2.LINE_AA)
        for k in range(5):  # the inks beside the pattern
            at = (int(x0 + (0.35 + k * 0.75) * unit), int(y1 + 0.42 * unit))
            cv2.circle(out, at, int(0.24 * unit), tuple(float(c) for c in _INKS[k]), -1, cv2.LINE_AA)
    ramp = np.linspace(0.03, 0.80, int(8.4 * unit), dtype=np.float32)
    y0, x0 = int(27.6 * unit), int(6.3 * unit)
    out[y0 : y0 + int(0.9 * unit), x0 : x0 + len(ramp)] = ramp[None, :, None]
    letters = np.zeros((height, width), np.uint8)
    for text, y_cm, size in (("HARROW LANE TILEWORKS", 1.5, 1.9), ("Pattern sheet 4: encaustic, five inks, 6 inch", 2.5, 0.95)):
        thick = max(2, int(2.4 * width / 2400))
        at = (int(1.6 * unit), int(y_cm * unit))
        cv2.putText(letters, text, at, cv2.FONT_HERSHEY_COMPLEX, size * width / 2400, 255, thick, cv2.LINE_AA)
    share = letters[..., None].astype(np.float32) / 255 * np.clip(ink_wear, 0.6, 1)[..., None]
    out = out * (1 - share) + _INKS[4] * share
    return np.clip(out, 0.01, 0.9)


@lru_cache(maxsize=1)
def page_on_stand(width: int = 5800) -> Scene:
    """The page on a copy stand, for a large camera: board around it, light a little uneven."""
    height = width * 2 // 3
    rng = np.random.default_rng(93)
    grain = _octaves(rng, width // 4, height // 4, 3, 10)
    board = 0.05 * (1 + 0.2 * cv2.resize(grain, (width, height), interpolation=cv2.INTER_CUBIC))
    out = (board[..., None] * np.array([1.05, 1, 0.92], np.float32)).astype(np.float32)
    sheet = np.ascontiguousarray(np.rot90(page(), 1))
    scale = width * 0.86 / sheet.shape[1]
    sheet = cv2.resize(sheet, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    y, x = (height - sheet.shape[0]) // 2, (width - sheet.shape[1]) // 2
    shadow = np.zeros((height, width), np.float32)
    shadow[y : y + sheet.shape[0], x : x + sheet.shape[1]] = 1
    low = cv2.GaussianBlur(cv2.resize(shadow, None, fx=0.125, fy=0.125, interpolation=cv2.INTER_AREA), (0, 0), 2)
    soft = cv2.resize(np.roll(low, (1, 2), (0, 1)), (width, height), interpolation=cv2.INTER_LINEAR)
    out *= (1 - 0.6 * soft)[..., None]
    out[y : y + sheet.shape[0], x : x + sheet.shape[1]] = sheet
    lamp = (
        1.12
        - 0.24 * np.linspace(0, 1, width, dtype=np.float32)[None]
        + 0.05 * np.linspace(-1, 1, height, dtype=np.float32)[:, None]
    )
    out *= lamp[..., None]
    # the stand is a little nearer than the frame, so that nothing beyond the board shows
    return Scene("page_on_stand", out, 0.18, 180.0, focal_px=width / 36 * 48.5)


def scan(width: int = 1900, angle_degrees: float = -2.3) -> NDArray[np.uint8]:
    """(h, w, 3) the page as a scanner gave it, 8-bit sRGB."""
    sheet = page()
    height = int(width * 1.36)
    scale = width * 0.93 / sheet.shape[1]
    turn = cv2.getRotationMatrix2D((sheet.shape[1] / 2, sheet.shape[0] / 2), angle_degrees, scale)
    turn[:, 2] += [width / 2 - sheet.shape[1] / 2, height / 2 - sheet.shape[0] / 2 - 10]
    small = cv2.GaussianBlur(sheet, (0, 0), 0.45 / scale)
    image = cv2.warpAffine(small, turn, (width, height), flags=cv2.INTER_CUBIC, borderValue=(0.13, 0.13, 0.125))
    rng = np.random.default_rng(94)
    for _ in range(5):  # tea, glaze, water
        x, y, r = rng.uniform(0.1, 0.9) * width, rng.uniform(0.1, 0.9) * height, rng.uniform(0.05, 0.13) * width
        yy, xx = np.mgrid[0:height, 0:width].astype(np.float32)
        d = np.hypot(xx - x, yy - y) / r + 0.10 * _octaves(rng, width, height, 2, 7)
        ring = 0.30 * np.exp(-(((d - 1) / 0.05) ** 2)) + 0.12 * np.clip((1 - d) * 8, 0, 1)
        image *= 1 - ring[..., None] * np.array([0.35, 0.55, 0.85], np.float32)
    fold = np.abs(np.arange(height, dtype=np.float32) - height * 0.49 - 3 * np.sin(np.arange(height) / 90))
    image *= (1 - 0.30 * np.exp(-((fold / 2.2) ** 2)) + 0.10 * np.exp(-(((fold - 5) / 3) ** 2)))[:, None, None]
    lamp = 1.04 - 0.22 * np.linspace(0, 1, width, dtype=np.float32) ** 2
    image *= lamp[None, :, None]
    for _ in range(260):
        at = (int(rng.uniform(0, width)), int(rng.uniform(0, height)))
        if rng.random() < 0.8:
            cv2.circle(image, at, int(rng.integers(1, 3)), (0.25,) * 3 if rng.random() < 0.6 else (0.9,) * 3, -1, cv2.LINE_AA)
        else:
            points = np.cumsum(rng.normal(0, 4, (14, 2)), 0) + at
            cv2.polylines(image, [points.astype(np.int32)], False, (0.2,) * 3, 1, cv2.LINE_AA)
    image = image * 0.86 + 0.012
    coded = SRGB.transfer.encode(np.clip(image, 0, 1))
    return np.clip(np.rint(coded * 255 + rng.normal(0, 0.9, coded.shape)), 0, 255).astype(np.uint8)
