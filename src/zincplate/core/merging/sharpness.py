"""How sharp pictures of one subject are against each other, and how the camera shook.

Sharpness is the energy of the second derivative where both pictures show something, with what noise adds to it taken away. Shake
is what a sharp picture has to be blurred by to become the other: the regularised quotient of their spectra (Wiener), of which the
second moments give direction and length.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

LAPLACE_GAIN = 20.0
"""Variance of the five-point second derivative of white noise of variance 1."""
FEWEST = 500
"""Pixels that both show, to say anything."""
KERNEL_PX = 41
OCTAVES = 3
SOFT_PX, ALIKE_EV = 4.0, 0.15
MOST_DOUBT = 0.2
"""Share of the energy of detail that noise may leave unknown."""


@dataclass(frozen=True)
class Shake:
    """A smear of the picture."""

    length_px: float
    direction_degrees: float
    """0 is along the rows, 90 up; between 0 and 180."""


def detail(light: Float32, variance: Float32, where: Mask) -> float:
    """Energy of fine detail (h, w), noise of a known variance taken out; NaN where too little is shown."""
    inner = cv2.erode(where.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    if int(inner.sum()) < FEWEST:
        return float("nan")
    second = cv2.Laplacian(light, cv2.CV_32F, ksize=1)
    return float(max((second[inner] ** 2 - LAPLACE_GAIN * variance[inner]).mean(), 0.0))


@dataclass(frozen=True)
class Seen:
    """What a picture shows of its subject, in its own pixels."""

    light: Float32
    """(h, w) linear."""
    variance: Float32
    """(h, w) of its noise."""
    where: Mask
    """(h, w) shown by the other picture as well."""
    known_to: float
    """Share by which the variance may be told wrong."""

    def half(self) -> "Seen":
        """At half the size."""
        size = self.light.shape[1] // 2, self.light.shape[0] // 2
        light, variance, where = (
            cv2.resize(p[: 2 * size[1], : 2 * size[0]], size, interpolation=cv2.INTER_AREA)
            for p in (self.light, self.variance, self.where.astype(np.float32))
        )
        return Seen(light, variance / 4, where > 0.999, self.known_to)

    def doubt(self) -> float:
        """What noise may leave of itself in :func:`detail`, or take from it: the share of it that may be told wrong, and three
        deviations of a mean of as many pixels."""
        count = int(self.where.sum())
        if not count:
            return 0.0
        return float(LAPLACE_GAIN * self.variance[self.where].mean() * (self.known_to + 3 * (2 / count) ** 0.5))


def as_sharp(first: Seen, second: Seen, from_octave: int) -> float:
    """How much detail the first shows against the second, as a ratio of amplitudes: of the finest octave, from the one that is
    given on, in which the drawing of the sharper one would not drown in noise. NaN where nobody can tell."""
    for octave in range(OCTAVES):
        if octave:
            first, second = first.half(), second.half()
        if octave < from_octave:
            continue
        own, other = (detail(s.light, s.variance, s.where) for s in (first, second))
        if not np.isfinite((own, other)).all():
            break
        unsure = first.doubt() + second.doubt()
        if unsure <= MOST_DOUBT * max(own, other):
            return float((own / max(other, unsure, 1e-30)) ** 0.5)
    return float("nan")


def same_light(light: Float32, other: Float32) -> Mask:
    """Where two pictures (h, w) on each other show about the same light, however sharp."""
    a, b = (np.maximum(cv2.GaussianBlur(p, (0, 0), SOFT_PX), np.float32(1e-6)) for p in (light, other))
    return np.asarray(np.abs(np.log2(a / b)) < ALIKE_EV)


def shake(sharp: Float32, smeared: Float32) -> Shake:
    """What made the second picture of the first, both (h, w) on each other, logarithms of light."""
    h, w = sharp.shape
    window = np.outer(np.hanning(h), np.hanning(w))
    a, b = (np.fft.rfft2((p - p.mean()) * window) for p in (sharp, smeared))
    power = np.abs(a) ** 2
    kernel = np.fft.irfft2(np.conj(a) * b / (power + 0.02 * power.mean()), s=(h, w))
    half = KERNEL_PX // 2
    kernel = np.roll(kernel, (half, half), (0, 1))[:KERNEL_PX, :KERNEL_PX]
    kernel = np.where(kernel > 0.15 * kernel.max(), kernel, 0.0)
    weights = kernel / max(float(kernel.sum()), 1e-12)
    yy, xx = np.mgrid[:KERNEL_PX, :KERNEL_PX] - half
    x, y = float((weights * xx).sum()), float((weights * yy).sum())
    moments = np.array([
        [(weights * (xx - x) ** 2).sum(), (weights * (xx - x) * (yy - y)).sum()],
        [(weights * (xx - x) * (yy - y)).sum(), (weights * (yy - y) ** 2).sum()],
    ])  # fmt: skip
    values, axes = np.linalg.eigh(moments)
    along = axes[:, 1]
    # a straight even smear of length L has a variance of L squared / 12
    return Shake(float(np.sqrt(12 * max(values[1], 0.0))), float(np.degrees(np.arctan2(-along[1], along[0])) % 180))
