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
