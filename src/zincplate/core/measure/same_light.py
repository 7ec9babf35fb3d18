"""How the light of two pictures differs, told from what both show.

Two pictures of one subject are laid over each other by phase correlation (Kuglin & Hines 1975) of their logarithmic lightness;
where they overlap, each pair of pixels says how much lighter one is. Most pairs agree: what moved, what was added and what is
blown does not. So the difference is the mode of the pairs' logarithmic ratios (mean shift with a shrinking kernel: Comaniciu &
Meer 2002), not their mean. The colour of the light is the same in R/G and B/G. Pictures whose gradients do not fit each other
show different subjects, and then nothing is said about their light.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

EDGE_PX = 240
"""Long edge at which pictures are compared."""
LEAST_OVERLAP = 0.2
LIKE = 0.35
"""Correlation of gradients in the overlap from which on two pictures show the same subject."""
DARKEST, BRIGHTEST = 2.0**-10, 0.92
"""Of the white level: below is noise and stray light, above may be clipped."""
CALM_EV = 0.35
"""Lightness may differ so much from its neighbours where a pair of pixels counts."""
FEWEST = 40
"""Pairs."""
PROMISING = 0.11
"""Pictures of one subject that are turned against each other by some degrees are so much alike; of two subjects, less."""
TURNS_DEGREES = (-3.0, 3.0, -6.0, 6.0)
SMOOTH_PX = 0.7
NOISE_GAIN = 0.85
"""What smoothing and second derivative leave of the variance of noise in demosaiced green (of white noise: 0.77)."""
_AROUND = np.ones((3, 3), np.uint8)


@dataclass(frozen=True)
class Likeness:
    """The second picture against the first."""

    likeness: float
    """Correlation of gradients where they overlap, -1..1."""
    shift_px: tuple[float, float]
    """x and y by which the second lies beside the first, in compared pixels."""
    log2_rgb: tuple[float, float, float]
    """How much lighter the second is, in stops, for each channel; meaningful when :attr:`same_subject`."""
    median_ev: float
    """The same for green by the median of the pairs near the mode: how far the two differ tells how sure they are."""

    @property
    def same_subject(self) -> bool:
        """Whether both show so much of the same that their light can be compared."""
        return self.likeness >= LIKE


def _log_lightness(planes: Float32) -> Float32:
    return np.log2(np.maximum(planes[1], DARKEST)).astype(np.float32)


def _gradients(log_lightness: Float32) -> NDArray[np.complex64]:
    """Horizontal and vertical gradient as one complex number, long ones held back so that one edge does not decide."""
    smooth = cv2.GaussianBlur(log_lightness, (0, 0), 1.2)
    x, y = cv2.Scharr(smooth, cv2.CV_32F, 1, 0) / 32, cv2.Scharr(smooth, cv2.CV_32F, 0, 1) / 32
    length = np.hypot(x, y)
    return np.asarray((x + 1j * y) / (0.05 + length), np.complex64)


def _shift(a: NDArray[np.complex64], b: NDArray[np.complex64]) -> list[tuple[int, int]]:
    """Whole-pixel shifts (y, x) of ``b`` against ``a`` at the highest peaks of their phase correlation."""
    rows, columns = cv2.getOptimalDFTSize(a.shape[0] + b.shape[0]), cv2.getOptimalDFTSize(a.shape[1] + b.shape[1])
    cross = np.fft.fft2(b, (rows, columns)) * np.conj(np.fft.fft2(a, (rows, columns)))
    cross /= np.maximum(np.abs(cross), 1e-9) ** 0.7  # between correlation and phase correlation: noise has no say
    peaks = np.fft.ifft2(cross).real
    found = [(0, 0)]
    for _ in range(4):
        y, x = (int(v) for v in np.unravel_index(int(peaks.argmax()), peaks.shape))
        found.append((y - rows if y > rows // 2 else y, x - columns if x > columns // 2 else x))
        peaks[max(y - 3, 0) : y + 4, max(x - 3, 0) : x + 4] = -np.inf
    return found


Part = tuple[slice, slice]


def _overlap(shape_a: tuple[int, ...], shape_b: tuple[int, ...], shift: tuple[int, int]) -> tuple[Part, Part]:
    dy, dx = shift
    ya, xa = max(0, -dy), max(0, -dx)
    yb, xb = max(0, dy), max(0, dx)
    h, w = min(shape_a[0] - ya, shape_b[0] - yb), min(shape_a[1] - xa, shape_b[1] - xb)
    h, w = max(h, 0), max(w, 0)
    return (slice(ya, ya + h), slice(xa, xa + w)), (slice(yb, yb + h), slice(xb, xb + w))


def _fit(a: NDArray[np.complex64], b: NDArray[np.complex64], shift: tuple[int, int]) -> float:
    """Correlation of gradients in the overlap, lowered when that is small."""
    part_a, part_b = _overlap(a.shape, b.shape, shift)
    first, second = a[part_a], b[part_b]
    if first.size < LEAST_OVERLAP * min(a.size, b.size):
        return -1.0
    norm = float(np.sqrt((np.abs(first) ** 2).sum() * (np.abs(second) ** 2).sum()))
    return float((first * np.conj(second)).real.sum() / norm) if norm > 0 else -1.0


def mode_of(values: Float64) -> float:
    """The value about which most of ``values`` lie (1-D, not empty): the highest place of a smoothed histogram, then mean shift
    with a kernel that shrinks from a quarter of a stop to a twentieth."""
    low, high = float(values.min()) - 0.5, float(values.max()) + 0.5
    bins = max(int((high - low) / 0.04), 8)
    counts, edges = np.histogram(values, bins, (low, high))
    smooth = cv2.GaussianBlur(counts.astype(np.float32)[None], (0, 0), 2.5)[0]
    at = float(edges[int(smooth.argmax())] + (high - low) / bins / 2)
    for width in (0.25, 0.15, 0.1, 0.07, 0.05, 0.05, 0.05):
        weights = np.exp(-0.5 * ((values - at) / width) ** 2)
        at = float((weights * values).sum() / weights.sum())
    return at


def reduced(planes: Float32, scale: float) -> Float32:
    """Planes (3, h, w) resized by a factor, averaged where it is below 1."""
    h, w = planes.shape[1:]
    size = max(round(w * scale), 1), max(round(h * scale), 1)
    how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    return np.stack([cv2.resize(plane, size, interpolation=how) for plane in planes]).astype(np.float32)


def spread_ev(planes: Float32) -> float:
    """Contrast of what is shown, in stops: the 95th percentile of the logarithmic lightness above the 5th."""
    low, high = np.quantile(np.log2(np.maximum(planes[1], DARKEST)), (0.05, 0.95))
    return float(high - low)


def sharpness_of(plane: Float32, noise_variance: Float32 | None = None) -> Float32:
    """(8, 8): log2 of the strength of the second derivative in each part of a plane (h, w), against the part's mean. What is out
    of focus or shaken has less; twice as much is one more. (Laplacian energy: Subbarao & Tyan 1998; Pertuz et al. 2013.) With
    the noise's variance at each pixel (h, w) its share is taken out: a dark, noisy picture is not sharp."""
    smooth = cv2.GaussianBlur(plane, (0, 0), SMOOTH_PX)
    energy = cv2.Laplacian(smooth, cv2.CV_32F) ** 2
    detail, mean = (cv2.resize(p, (8, 8), interpolation=cv2.INTER_AREA) for p in (energy, plane))
    if noise_variance is not None:
        noise = NOISE_GAIN * cv2.resize(noise_variance, (8, 8), interpolation=cv2.INTER_AREA)
        detail = np.maximum(detail - noise, 0.02 * noise)
    return np.log2(np.maximum(np.sqrt(detail), 1e-7) / np.maximum(mean, 1e-5)).astype(np.float32)


def compared(first: Float32, second: Float32) -> Likeness:
    """Compares two small pictures, (3, h, w) linear RGB of one camera or one space with the white level at 1, each reduced to
    about :data:`EDGE_PX` along its long edge. Sizes may differ, the size of what is shown should not. Two and a half degrees of
    turn between them are borne; where they are somewhat alike, larger turns are tried."""
    found = _level(first, second)
    if not PROMISING < found.likeness < LIKE:
        return found
    return max(
        (found, *(_level(first, _turned(second, angle)) for angle in TURNS_DEGREES)), key=lambda likeness: likeness.likeness
    )


def _turned(planes: Float32, degrees: float) -> Float32:
    """Turned about the middle; what comes from outside is black, and black says nothing."""
    h, w = planes.shape[1:]
    turn = cv2.getRotationMatrix2D(((w - 1) / 2, (h - 1) / 2), degrees, 1.0)
    return np.stack([cv2.warpAffine(plane, turn, (w, h)) for plane in planes]).astype(np.float32)


def _level(first: Float32, second: Float32) -> Likeness:
    """As they are, without turning either."""
    logs = [_log_lightness(p) for p in (first, second)]
    edges_a, edges_b = (_gradients(v) for v in logs)
    fits = [(_fit(edges_a, edges_b, shift), shift) for shift in _shift(edges_a, edges_b)]
    likeness, shift = max(fits)
    if likeness < 0:
        return Likeness(likeness, (0.0, 0.0), (0.0, 0.0, 0.0), 0.0)
    part_a, part_b = _overlap(first.shape[1:], second.shape[1:], shift)
    a, b = first[(slice(None), *part_a)].astype(np.float64), second[(slice(None), *part_b)].astype(np.float64)
    # an edge that lies half a pixel off says nothing about light: only calm places do
    calm = np.ones(a.shape[1:], bool)
    for picture, part in ((logs[0], part_a), (logs[1], part_b)):
        smooth = cv2.GaussianBlur(picture[part], (0, 0), 1.0)
        calm &= cv2.dilate(smooth, _AROUND) - cv2.erode(smooth, _AROUND) < CALM_EV
    sound = (a.max(0) < BRIGHTEST) & (b.max(0) < BRIGHTEST) & (a.min(0) > DARKEST) & (b.min(0) > DARKEST)
    usable = sound & calm if (sound & calm).sum() >= FEWEST else sound
    if usable.sum() < FEWEST:
        return Likeness(-1.0, (0.0, 0.0), (0.0, 0.0, 0.0), 0.0)
    ratio = np.log2(b[:, usable] / a[:, usable])
    green = mode_of(ratio[1])
    near = np.abs(ratio[1] - green) < 0.25
    red, blue = (mode_of(ratio[c][near] - ratio[1][near]) for c in (0, 2))
    place, median = (float(-shift[1]), float(-shift[0])), float(np.median(ratio[1][near]))
    return Likeness(likeness, place, (green + red, green, green + blue), median)
