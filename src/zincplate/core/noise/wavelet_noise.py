"""Noise reduction by undecimated wavelets with local Wiener shrinkage, on variance-stabilised values.

Plates go through a square root, where photon noise is even (Anscombe 1948), into a lightness and two colour differences.
Each is split by the a-trous B3-spline wavelet (Starck & Murtagh 1994); every coefficient is shrunk by the share of its
neighbourhood's energy that is more than noise (Mihcak et al., "Low-complexity image denoising based on statistical
modeling of wavelet coefficients", SPL 6, 1999). Noise at every scale is known from the sensor's noise model and the
demosaicing's own correlation, so nothing is guessed from the picture. Colour is split once at full size and then at half
size: colour noise is coarse, and the eye sees no fine colour.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL

Float32 = NDArray[np.float32]

MARGIN = 40
"""Pixels of context at full size."""
WEIGHTS = (0.25, 0.5, 0.25)
LIGHTNESS_STRENGTH, COLOUR_STRENGTH = 2.4, 3.0
"""Times the noise's deviation, at the end of the gauges: their middle is what the noise explains."""
MOSAIC_LIGHTNESS = (0.697, 0.206, 0.086, 0.041)
MOSAIC_COLOUR = (0.261, 0.229, 0.172, 0.098, 0.051)
"""Deviation of every wavelet plane of our demosaicing's result from unit noise at every site (in roots). Colour: the first plane
at full size, the others at half size. Measured on drawn noise; tests measure them again."""
WHITE_LIGHTNESS = (0.545, 0.123, 0.052, 0.025)
WHITE_COLOUR = (1.260, 0.240, 0.116, 0.0575, 0.029)
"""The same for unit noise in every channel of every pixel."""


@dataclass(frozen=True)
class StabilisedNoise:
    """Noise of root plates: what is added before the root, its deviation in each channel, and whether it was demosaiced."""

    shift: float
    deviation: tuple[float, float, float]
    demosaiced: bool

    def lightness(self) -> tuple[float, ...]:
        """Deviation of every plane of lightness."""
        if self.demosaiced:
            scale = math.sqrt(float(np.asarray(WEIGHTS) @ np.square(self.deviation)))
            return tuple(f * scale for f in MOSAIC_LIGHTNESS)
        scale = math.sqrt(float(np.square(WEIGHTS) @ np.square(self.deviation) / np.square(WEIGHTS).sum()))
        return tuple(f * scale for f in WHITE_LIGHTNESS)

    def colour(self) -> tuple[float, ...]:
        """Deviation of every plane of a colour difference."""
        scale = math.sqrt(float(np.square(self.deviation).mean()))
        return tuple(f * scale for f in (MOSAIC_COLOUR if self.demosaiced else WHITE_COLOUR))


@njit(**KERNEL)
def to_lightness_and_colour(planes, shift, out):
    _, height, width = planes.shape
    z = np.float32(0)
    for y in prange(height):
        for x in range(width):
            r = math.sqrt(max(planes[0, y, x] + shift, z))
            g = math.sqrt(max(planes[1, y, x] + shift, z))
            b = math.sqrt(max(planes[2, y, x] + shift, z))
            out[0, y, x] = np.float32(0.25) * r + np.float32(0.5) * g + np.float32(0.25) * b
            out[1, y, x] = r - g
            out[2, y, x] = b - g


@njit(**KERNEL)
def from_lightness_and_colour(values, shift, out):
    _, height, width = values.shape
    z = np.float32(0)
    for y in prange(height):
        for x in range(width):
            c1, c2 = values[1, y, x], values[2, y, x]
            g = values[0, y, x] - np.float32(0.25) * (c1 + c2)
            r, b = max(c1 + g, z), max(c2 + g, z)
            g = max(g, z)
            out[0, y, x] = r * r - shift
            out[1, y, x] = g * g - shift
            out[2, y, x] = b * b - shift


@njit(**KERNEL)
def _split(source, step, smooth, detail, energy):
    """One a-trous level: smooth = B3 * source with holes, detail = source - smooth, energy = detail squared."""
    height, width = source.shape
    k0, k1, k2 = np.float32(0.375), np.float32(0.25), np.float32(0.0625)
    s2 = 2 * step
    for y in prange(height):
        u2, u1, d1, d2 = abs(y - s2), abs(y - step), y + step, y + s2
        if d1 >= height:
            d1 = 2 * height - 2 - d1
        if d2 >= height:
            d2 = 2 * height - 2 - d2
        u2, u1, d1, d2 = min(u2, height - 1), min(u1, height - 1), max(d1, 0), max(d2, 0)
        row = np.empty(width + 2 * s2, np.float32)
        a, b, m, d, e = source[u2], source[u1], source[y], source[d1], source[d2]
        for x in range(width):
            row[x + s2] = k0 * m[x] + k1 * (b[x] + d[x]) + k2 * (a[x] + e[x])
        for x in range(s2):
            row[x] = row[s2 + min(s2 - x, width - 1)]
        # where a row is narrower than the holes reach, its mirror image is mirrored as well
        for x in range(s2):
            row[width + s2 + x] = row[max(width + s2 - 2 - x, 0)]
        l2, l1, l0 = row[0:width], row[step : step + width], row[s2 : s2 + width]
        r1, r2 = row[s2 + step : s2 + step + width], row[2 * s2 : 2 * s2 + width]
        n, q, en = smooth[y], detail[y], energy[y]
        for x in range(width):
            v = k0 * l0[x] + k1 * (l1[x] + r1[x]) + k2 * (l2[x] + r2[x])
            w = m[x] - v
            n[x] = v
            q[x] = w
            en[x] = w * w


@njit(**KERNEL)
def _shrink(detail, energy, variance, total, first):
    """total (+)= detail times the share of its neighbourhood's energy above the noise variance."""
    height, width = detail.shape
    z = np.float32(0)
    for y in prange(height):
        w, e, t = detail[y], energy[y], total[y]
        if first:
            for x in range(width):
                t[x] = w[x] * max(e[x] - variance, z) / max(e[x], np.float32(1e-12))
        else:
            for x in range(width):
                t[x] += w[x] * max(e[x] - variance, z) / max(e[x], np.float32(1e-12))


@njit(**KERNEL)
def _shrink_by(detail, energy, variance, relative, total, first):
    """The same where the variance is so many times ``relative`` (h, w) of each place."""
    height, width = detail.shape
    z = np.float32(0)
    for y in prange(height):
        w, e, r, t = detail[y], energy[y], relative[y], total[y]
        for x in range(width):
            kept = w[x] * max(e[x] - variance * r[x], z) / max(e[x], np.float32(1e-12))
            t[x] = kept if first else t[x] + kept


def _shrunk(detail: Float32, energy: Float32, variance: float, relative: Float32 | None, total: Float32, first: bool) -> None:
    if relative is None:
        _shrink(detail, energy, np.float32(variance), total, first)
    else:
        _shrink_by(detail, energy, np.float32(variance), relative, total, first)


def _denoised(plane: Float32, deviations: tuple[float, ...], strength: float, relative: Float32 | None = None) -> Float32:
    """A plane after shrinkage of all its levels; ``strength`` multiplies the noise deviation."""
    smooth, other = np.empty_like(plane), np.empty_like(plane)
    detail, energy, total = np.empty_like(plane), np.empty_like(plane), np.empty_like(plane)
    source = plane
    for level, deviation in enumerate(deviations):
        step = 1 << level
        if 4 * step >= min(plane.shape):
            break
        target = smooth if level % 2 == 0 else other
        _split(source, step, target, detail, energy)
        # small neighbourhoods at first: a star or a glint is one pixel, and must keep its colour
        size = (3, 3) if level < 2 else (5, 5)
        cv2.blur(energy, size, dst=energy, borderType=cv2.BORDER_REFLECT)
        if relative is not None and level:
            # a coarse plane holds the noise of all that it is a mean of
            relative = cv2.blur(relative, (4 * step - 1, 4 * step - 1), borderType=cv2.BORDER_REFLECT)
        _shrunk(detail, energy, (strength * deviation) ** 2, relative, total, level == 0)
        source = target
    return source + total if source is not plane else plane.copy()


def reduce_noise(
    planes: Float32, noise: StabilisedNoise, lightness: float, colour: float, relative: Float32 | None = None
) -> Float32:
    """Planes (3, h, w) -> planes with less noise. Strengths multiply the noise's deviation; 0 leaves one alone. ``relative``
    (h, w): how many times the variance that ``noise`` tells is that of each place, where it is not even."""
    values = np.empty_like(planes)
    shift = np.float32(noise.shift)
    to_lightness_and_colour(planes, shift, values)
    if lightness > 0:
        values[0] = _denoised(values[0], noise.lightness(), lightness, relative)
    if colour > 0:
        for c in (1, 2):
            values[c] = _colour_denoised(values[c], noise.colour(), colour, relative)
    out = np.empty_like(planes)
    from_lightness_and_colour(values, shift, out)
    return out


def _colour_denoised(plane: Float32, deviations: tuple[float, ...], strength: float, relative: Float32 | None) -> Float32:
    height, width = plane.shape
    if min(height, width) < 16:
        return _denoised(plane, deviations[:1], strength, relative)
    smooth, detail, energy, total = (np.empty_like(plane) for _ in range(4))
    _split(plane, 1, smooth, detail, energy)
    cv2.blur(energy, (3, 3), dst=energy, borderType=cv2.BORDER_REFLECT)
    _shrunk(detail, energy, (strength * deviations[0]) ** 2, relative, total, True)
    size = ((width + 1) // 2, (height + 1) // 2)
    half = cv2.resize(smooth, size, interpolation=cv2.INTER_AREA)
    coarse = None if relative is None else cv2.resize(relative, size, interpolation=cv2.INTER_AREA)
    calmed = _denoised(half, deviations[1:], strength, coarse)
    calmed -= half
    total += smooth
    total += cv2.resize(calmed, (width, height), interpolation=cv2.INTER_LINEAR)
    return total


def deviation_of(planes: Float32) -> float:
    """Deviation of the noise in root values of a rendered picture (3, h, w): from the calmest blocks of its finest plane."""
    values = np.empty_like(planes)
    to_lightness_and_colour(planes, np.float32(1e-4), values)
    smooth, detail, energy = (np.empty_like(values[0]) for _ in range(3))
    _split(values[0], 1, smooth, detail, energy)
    n = 16
    rows, columns = energy.shape[0] // n * n, energy.shape[1] // n * n
    if not rows or not columns:
        return 1e-4
    blocks = energy[:rows, :columns].reshape(rows // n, n, columns // n, n).mean((1, 3))
    level = smooth[:rows, :columns].reshape(rows // n, n, columns // n, n).mean((1, 3))
    fair = blocks[(level > 0.03) & (level < 0.97)]
    if fair.size < 8:
        return 1e-4
    return max(float(np.sqrt(np.quantile(fair, 0.15))) / WHITE_LIGHTNESS[0] * 1.06, 1e-4)
