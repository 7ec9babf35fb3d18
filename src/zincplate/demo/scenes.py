"""Scenes of known linear radiance, as the simulated camera sees them.

Rendered scenes (``data/``, made by ``tools/scenes``) hold 16-bit codes of log2 radiance, lossy JPEG XL; the decoded picture
is the truth. Drawn scenes are computed here. All are (h, w, 3) float32, linear Rec.709 primaries, D65.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from importlib import resources
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]


@dataclass(frozen=True)
class Visitor:
    """Someone who was in the picture for a moment: a window of the scene with them in it."""

    x: int
    y: int
    linear_rec709: Float32
    blend: Float32
    """(h, w) share of the window that counts, soft at its edges."""


@dataclass(frozen=True)
class Scene:
    """Radiance in relative units, seen from one point.

    ``middle_grey`` is the radiance (luminance) that a meter would put at 18 %, ``middle_grey_cd_m2`` what it is in reality.
    A plane picture has ``focal_px`` pixels per unit of tangent, a cylinder as many per radian around and per unit of tangent
    upwards; ``centre_px`` (x, y) is straight ahead.
    """

    name: str
    linear_rec709: Float32
    middle_grey: float
    middle_grey_cd_m2: float = 1000.0
    focal_px: float = 0.0
    centre_px: tuple[float, float] = (-1.0, -1.0)
    cylinder: bool = False
    depth_m: Float32 | None = None
    """(h, w) distance along the ray; 0 where there is only sky."""
    sky: Float32 | None = None
    """(h, w) share of sky, for scenes whose sky the camera's own stars fill."""
    visitors: Mapping[str, Visitor] = field(default_factory=dict)

    @property
    def size(self) -> tuple[int, int]:
        """(width, height)."""
        return self.linear_rec709.shape[1], self.linear_rec709.shape[0]

    @property
    def focal(self) -> float:
        """Pixels per unit of tangent; a scene that does not say is what a 50 mm lens sees on 36 mm."""
        return self.focal_px or self.size[0] * 50 / 36

    @property
    def centre(self) -> tuple[float, float]:
        """Where straight ahead is, pixels."""
        return self.centre_px if self.centre_px[0] >= 0 else ((self.size[0] - 1) / 2, (self.size[1] - 1) / 2)

    @property
    def cd_m2(self) -> float:
        """Luminance in cd/m2 of one unit of radiance."""
        return self.middle_grey_cd_m2 / self.middle_grey

    @cached_property
    def planes(self) -> Float32:
        """(3, h, w)."""
        return np.ascontiguousarray(np.moveaxis(self.linear_rec709, -1, 0))

    def with_visitor(self, name: str) -> "Scene":
        """The scene with a visitor in it; raises ``KeyError``."""
        visitor = self.visitors[name]
        picture = self.linear_rec709.copy()
        h, w = visitor.blend.shape
        part = picture[visitor.y : visitor.y + h, visitor.x : visitor.x + w]
        part += (visitor.linear_rec709 - part) * visitor.blend[..., None]
        return replace(self, linear_rec709=picture)


def encode_log(linear: Float32) -> tuple[NDArray[np.uint16], dict[str, float]]:
    """Radiance -> 16-bit codes of log2 over the scene's own range (22 stops at most), and the range."""
    median = float(np.median(linear[linear > 0])) if (linear > 0).any() else 1.0
    high = float(np.log2(float(linear.max()) / median))
    low = max(float(np.log2(max(float(np.percentile(linear, 0.02)), 1e-12) / median)) - 1, high - 22)
    stops = np.log2(np.maximum(linear, 0) / median + 2.0**low)
    codes = np.clip(np.round((stops - low) / (high - low) * 65535), 0, 65535).astype(np.uint16)
    return codes, {"median": median, "low": low, "high": high}


def decode_log(codes: NDArray[np.uint16], scale: Mapping[str, float]) -> Float32:
    """Inverse of :func:`encode_log`."""
    low, high = scale["low"], scale["high"]
    levels = np.arange(65536, dtype=np.float64) * ((high - low) / 65535) + low
    table = np.maximum((np.exp2(levels) - 2.0**low) * scale["median"], 0).astype(np.float32)
    return np.asarray(table[codes])


def encode_depth(depth_m: Float64) -> tuple[NDArray[np.uint16], dict[str, float]]:
    """Distances -> codes 1..4095 of their log2 and its range; 0 stays 0 (only sky)."""
    seen = depth_m > 0
    low, high = float(np.log2(depth_m[seen].min())), float(np.log2(depth_m[seen].max()) + 1e-6)
    steps = 1 + np.round((np.log2(np.where(seen, depth_m, 1)) - low) / (high - low) * 4094)
    return np.where(seen, steps, 0).astype(np.uint16), {"low": low, "high": high}


def decode_depth(codes: NDArray[np.uint16], scale: Mapping[str, float]) -> Float32:
    """Inverse of :func:`encode_depth`, metres."""
    metres = np.exp2((codes.astype(np.float32) - 1) / 4094 * (scale["high"] - scale["low"]) + scale["low"])
    return np.where(codes > 0, metres, 0).astype(np.float32)


def _read(name: str) -> NDArray[Any]:
    import imagecodecs

    data = (resources.files("zincplate.demo") / "data" / name).read_bytes()
    return np.asarray(imagecodecs.jpegxl_decode(data, numthreads=2))


def _picture(facts: Mapping[str, Any]) -> Float32:
    return np.concatenate([decode_log(_read(f), facts["scale"]) for f in facts["files"]], axis=1)


def _enlarged(plane: Float32, size: tuple[int, int], nearest: bool) -> Float32:
    way = cv2.INTER_NEAREST if nearest else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(plane, size, interpolation=way), np.float32)


def catalogue() -> dict[str, Any]:
    """Facts of the shipped scenes by name."""
    text = (resources.files("zincplate.demo") / "data" / "scenes.json").read_text()
    return dict(json.loads(text))


@lru_cache(maxsize=2)
def load(name: str) -> Scene:
    """A shipped scene by name (:func:`catalogue` has the names); raises ``KeyError``."""
    facts = catalogue()[name]
    linear = _picture(facts)
    size = linear.shape[1], linear.shape[0]
    depth = sky = None
    if "depth" in facts:
        depth = _enlarged(decode_depth(_read(facts["depth"]["file"]), facts["depth"]), size, nearest=True)
    if "sky" in facts:
        sky = _enlarged(_read(facts["sky"]["file"]).astype(np.float32) / np.float32(255), size, nearest=False)
    visitors = {}
    for key, part in facts.get("visitors", {}).items():
        window = _picture(part)
        visitors[key] = Visitor(part["x"], part["y"], window, _read(part["mask"]).astype(np.float32) / np.float32(255))
    centre = facts.get("centre_px", [-1, -1])
    return Scene(
        name, linear, facts["middle_grey"], facts["middle_grey_cd_m2"], facts["focal_px"], (centre[0], centre[1]),
        facts.get("cylinder", False), depth, sky, visitors,
    )  # fmt: skip


def _octaves(rng: np.random.Generator, width: int, height: int, first: int, last: int, fall: float = 0.62) -> Float32:
    out = np.zeros((height, width), np.float32)
    for k in range(first, last):
        n = 2**k
        grid = rng.standard_normal((max(2, n * height // width + 2), n + 2)).astype(np.float32)
        out += np.float32(fall ** (k - first)) * cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC)
    return out


def even_field(width: int, height: int, level: float = 0.18) -> Scene:
    """An evenly lit grey panel that fills the view of any lens."""
    return Scene("even_field", np.full((height, width, 3), level, np.float32), 0.18, focal_px=1.0)


def grid(width: int, height: int, spacing_px: int = 100, line_px: float = 5.0) -> Scene:
    """Dark straight lines on white, antialiased, for measuring a lens."""

    def lines(n: int) -> Float32:
        at = np.abs((np.arange(n, dtype=np.float32) - (n - 1) / 2 + spacing_px / 2) % spacing_px - spacing_px / 2)
        return np.asarray(np.clip(line_px / 2 + 0.5 - at, 0, 1), np.float32)

    dark = np.maximum(lines(height)[:, None], lines(width)[None])
    return Scene("grid", np.repeat((0.7 - 0.66 * dark)[..., None], 3, -1).astype(np.float32), 0.18)


def drawn_field(width: int, height: int, seed: int = 1) -> Scene:
    """Sky over textured ground with hard coloured shapes, fine lines, a zone plate and a star: for measuring.

    Lightly blurred, as a lens would, so that a demosaicer can be judged against it.
    """
    rng = np.random.default_rng(seed)
    v = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    u = np.linspace(0, 1, width, dtype=np.float32)[None]
    texture = np.clip(0.18 + 0.09 * _octaves(rng, width, height, 4, int(np.log2(width)) + 1), 0.004, None)
    land = np.stack([texture * (0.9 + 0.3 * np.sin(6 * u)), texture * 1.05, texture * (0.55 + 0.2 * np.cos(9 * v))], -1)
    sky = np.stack(np.broadcast_arrays(0.35 + 0.3 * v, 0.5 + 0.25 * v, 0.85 - 0.1 * v + 0 * u), -1)
    edge = 0.5 + 0.5 * np.tanh((v - 0.42 + 0.05 * _octaves(rng, width, height, 2, 9)) * 80)[..., None]
    image = np.ascontiguousarray(sky * (1 - edge) + land * edge, np.float32)
    unit = width / 6000
    for i in range(260):
        colour = tuple(float(t) for t in rng.uniform(0.01, 0.95, 3) ** 1.8)
        at = (int(rng.uniform(0, width)), int(rng.uniform(height * 0.35, height)))
        if i % 3 == 0:
            cv2.circle(image, at, max(int(rng.uniform(8, 140) * unit), 3), colour, -1, cv2.LINE_8)
        elif i % 3 == 1:
            box = cv2.boxPoints((at, (rng.uniform(10, 300) * unit, rng.uniform(10, 300) * unit), float(rng.uniform(0, 90))))
            cv2.fillConvexPoly(image, box.astype(np.int32), colour)
        else:
            to = (int(at[0] + rng.uniform(-400, 400) * unit), int(at[1] + rng.uniform(-400, 400) * unit))
            cv2.line(image, at, to, colour, int(rng.uniform(1, 6)))
    side = int(800 * unit) // 2 * 2
    y0, x0 = int(height * 0.62), int(width * 0.76)
    yy, xx = np.mgrid[0:side, 0:side].astype(np.float32) - side / 2
    plate = 0.35 + 0.3 * np.cos((xx * xx + yy * yy) * np.pi / (2.2 * side))
    image[y0 : y0 + side, x0 : x0 + side] = plate[..., None] * np.array([1, 0.9, 0.8], np.float32)
    return Scene("drawn_field", np.clip(cv2.GaussianBlur(image, (0, 0), 0.6), 0.0005, None), 0.18)
