"""Small planes of the whole picture (long edge about 500) that the local stage reads at every zoom.

Edge-aware bases are guided filters (He, Sun, Tang, "Guided image filtering", TPAMI 2013) in the fast form of He & Sun
(arXiv:1505.00996): coefficients a and b are found on the small picture and applied to the full one, so that fit view, 1:1
and delivery share them and agree. Lightness is in EV about middle grey (0.18), where a shadow is as wide as a highlight.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels import memory
from zincplate.core.kernels.kernel_math import KERNEL, log_2

Float32 = NDArray[np.float32]

LONG_EDGE = 512
FLOOR = 2e-5
"""Added to luminance before the logarithm: about 13 stops below grey."""
MIDDLE_GREY_EV = -2.4739311883324122
"""Of luminance 0.18."""
BASE_RADIUS = 14
BASE_EPSILON_EV2 = 0.12
"""Differences well below 0.35 EV are drawing inside a region, those well above are edges between regions."""
COLOUR_FLOOR = 2e-3
"""Added to channels before the logarithm: what is darker has no colour worth evening."""
MIDDLE_RADIUS = 2
MIDDLE_EPSILON_EV2 = 0.01
"""What is smoother than a tenth of a stop is no form but noise, and is not made clearer."""


@njit(**KERNEL)
def _ev(planes, weights, out):
    _, height, width = planes.shape
    for y in prange(height):
        red, green, blue, line = planes[0, y], planes[1, y], planes[2, y], out[y]
        for x in range(width):
            light = weights[0] * red[x] + weights[1] * green[x] + weights[2] * blue[x]
            line[x] = log_2(max(light, np.float32(0)) + np.float32(FLOOR)) - np.float32(MIDDLE_GREY_EV)


def ev(planes: Float32, weights: NDArray[np.float64]) -> Float32:
    """Planes (3, h, w) -> EV about middle grey of their weighted sum (h, w)."""
    out = memory.empty(*planes.shape[1:])
    _ev(np.ascontiguousarray(planes, np.float32), np.asarray(weights, np.float32), out)
    return out


def _mean(x: Float32, radius: int) -> Float32:
    return np.asarray(cv2.blur(x, (2 * radius + 1,) * 2, borderType=cv2.BORDER_REFLECT), np.float32)


@dataclass(frozen=True)
class Moments:
    """Mean and variance of a guide about each place: the same for everything that is carried by it."""

    mean: Float32
    variance: Float32

    @staticmethod
    def of(guide: Float32, radius: int) -> "Moments":
        """Over squares of ``2 radius + 1`` samples."""
        mean = _mean(guide, radius)
        variance = _mean(guide * guide, radius)
        variance -= mean * mean
        return Moments(mean, np.maximum(variance, np.float32(0), out=variance))


def guided(
    guide: Float32, target: Float32, radius: int, epsilon: float | Float32, moments: Moments | None = None
) -> tuple[Float32, Float32]:
    """Averaged coefficients (a, b) of the guided filter of ``target`` by ``guide``: base = a * guide + b. ``moments`` are the
    guide's of that radius, where they are known."""
    known = Moments.of(guide, radius) if moments is None else moments
    mean_target = known.mean if target is guide else _mean(target, radius)
    work = np.multiply(guide, target, dtype=np.float32)
    a = _mean(work, radius)
    a -= np.multiply(known.mean, mean_target, out=work)
    a /= np.add(known.variance, np.asarray(epsilon, np.float32), out=work)
    b = np.subtract(mean_target, np.multiply(a, known.mean, out=work), out=work)
    return _mean(a, radius), _mean(b, radius)


NOISE_MARGIN = 6.0
"""Multiples of the noise variance below which nothing counts as form."""


@dataclass(frozen=True)
class Air:
    """Haze of one picture: colour of the air (3,) in plate values, and the small plane of transmission coefficients."""

    light: NDArray[np.float32]
    a: Float32
    b: Float32

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return self.a.nbytes + self.b.nbytes


@dataclass(frozen=True)
class Bases:
    """Coefficients (4, h, w) on EV at neutral exposure: a and b of the region base, a and b of forms of middle size."""

    planes: Float32

    @property
    def nbytes(self) -> int:
        """Bytes held."""
        return int(self.planes.nbytes)


def bases_of(lightness_ev: Float32, noise_ev2: Float32 | float = 0.0) -> Bases:
    """Bases of a small picture's EV (h, w); ``noise_ev2`` is the variance of noise in it, which is not to count as form."""
    # regions are large: their coefficients are found at half the size, and read between as smoothly
    h, w = lightness_ev.shape
    half = cv2.resize(lightness_ev, (max((w + 1) // 2, 1), max((h + 1) // 2, 1)), interpolation=cv2.INTER_AREA)
    a, b = (cv2.resize(c, (w, h), interpolation=cv2.INTER_LINEAR) for c in guided(half, half, BASE_RADIUS // 2, BASE_EPSILON_EV2))
    a2, b2 = guided(
        lightness_ev, lightness_ev, MIDDLE_RADIUS, np.asarray(MIDDLE_EPSILON_EV2 + NOISE_MARGIN * noise_ev2, np.float32)
    )
    return Bases(np.stack([a, b, a2, b2]))
