"""Scenes of known linear radiance, as the simulated camera sees them.

Rendered scenes (``data/*.jxl``, made by ``tools/scenes``) hold 16-bit codes of log2 radiance, lossy JPEG XL; the decoded
picture is the truth. Drawn scenes are computed here. All are (h, w, 3) float32, linear Rec.709 primaries, D65.
"""

import json
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]


@dataclass(frozen=True)
class Scene:
    """Radiance in relative units; ``middle_grey`` is the radiance that a meter would put at 18 %."""

    name: str
    linear_rec709: Float32
    middle_grey: float

    @property
    def size(self) -> tuple[int, int]:
        """(width, height)."""
        return self.linear_rec709.shape[1], self.linear_rec709.shape[0]


def encode_log(linear: Float32) -> tuple[NDArray[np.uint16], dict[str, float]]:
    """Radiance -> 16-bit codes of log2 over the scene's own range (22 stops at most), and the range."""
    median = float(np.median(linear))
    high = float(np.log2(float(linear.max()) / median))
    low = max(float(np.log2(max(float(np.percentile(linear, 0.02)), 1e-12) / median)) - 1, high - 22)
    stops = np.log2(np.maximum(linear, 0) / median + 2.0**low)
    codes = np.clip(np.round((stops - low) / (high - low) * 65535), 0, 65535).astype(np.uint16)
    return codes, {"median": median, "low": low, "high": high}


def decode_log(codes: NDArray[np.uint16], scale: dict[str, float]) -> Float32:
    """Inverse of :func:`encode_log`."""
    low, high = scale["low"], scale["high"]
    stops = codes.astype(np.float32) * np.float32((high - low) / 65535) + np.float32(low)
    return np.maximum((np.exp2(stops) - np.float32(2.0**low)) * np.float32(scale["median"]), 0)


@lru_cache(maxsize=2)
def load(name: str) -> Scene:
    """A shipped scene by name: ``works_front``, ``glaze_table``, ``glaze_target``, ``loading_door``."""
    import imagecodecs

    folder = resources.files("zincplate.demo") / "data"
    facts = json.loads((folder / "scenes.json").read_text())[name]
    codes = np.asarray(imagecodecs.jpegxl_decode((folder / f"{name}.jxl").read_bytes()))
    linear = decode_log(codes, facts)
    return Scene(name, linear, facts["middle_grey"])


def _octaves(rng: np.random.Generator, width: int, height: int, first: int, last: int, fall: float = 0.62) -> Float32:
    out = np.zeros((height, width), np.float32)
    for k in range(first, last):
        n = 2**k
        grid = rng.standard_normal((max(2, n * height // width + 2), n + 2)).astype(np.float32)
        out += np.float32(fall ** (k - first)) * cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC)
    return out


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
