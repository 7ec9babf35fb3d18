"""At which frame of a focus series each place is sharpest: a depth map that is even where nothing tells, and keeps edges.

Sharpness is the energy of the second derivative, noise taken out (the focus measures that Pertuz, Puig & Garcia compare, Pattern
Recognition 46, 2013). The measures of all frames are smoothed by a guided filter (He, Sun & Tang, TPAMI 35, 2013) with the
picture itself as the guide, as costs of labels are (Hosni et al., "Fast cost-volume filtering", TPAMI 35, 2013), each weighed
by how much it says.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

WHITE_GAINS = 20.0, 0.112
"""Variance of the five-point second derivative of white noise of variance 1, as it is and after a blur of one pixel."""
MOSAIC_GAINS = 11.0, 0.155
"""The same of demosaiced green, half of which is worked out from its neighbours (measured: 10.9 to 11.4 and 0.153 to 0.158, from
ISO 100 to 3200 and over three stops)."""
RADIUS_PX, EVEN = 7, 0.01
"""Of the guided filter, in pixels of the depth map and squared stops."""
SHARPER = 4.0
"""Power of measures against the best one: blur spreads what is sharp, and the nearest frames are nearly as sharp."""
ROWS, FEWEST_ROWS = 4096, 96
WINDOWS_PX = 1, 5, 15, 45
"""Of energies, where narrower ones tell nothing."""
LEFT_OVER = 0.4
"""Standard deviation of what noise leaves over of the energy of a block, in its own energy."""
EVENED_PX, LEAST_REAL = 15, 0.02
LEAST_NOISE = 1e-12
"""Drawn pictures may have none."""
HALO = 2 * RADIUS_PX + 2 + WINDOWS_PX[-1] // 2
"""Rows that are worked at a time, and how far their filters reach: a guided filter averages twice."""
LEAST_TOLD = 4.0
"""Times what noise leaves over, at which a measure counts half."""


@dataclass(frozen=True)
class Depth:
    """For each place, the frame (a fraction lies between two) that is sharpest, and how sure that is (0 to 1)."""

    frame: Float32
    sure: Float32


def focus_energy(green: Float32, variance: Float32, block: int, gains: tuple[float, float]) -> Float32:
    """Energy of detail of a plane (h, w), in blocks; what noise of a variance (h, w) makes of it by its gains taken out."""
    h, w = green.shape[0] // block * block, green.shape[1] // block * block
    out = np.zeros((h // block, w // block), np.float32)
    plane = green
    for octave, gain in enumerate(gains):
        second = cv2.Laplacian(plane, cv2.CV_32F, ksize=1)
        energy = second * second - np.float32(gain) * variance
        out += cv2.resize(energy[:h, :w], (w // block, h // block), interpolation=cv2.INTER_AREA) * np.float32(4**octave)
        if octave == 0:
            plane = cv2.GaussianBlur(plane, (0, 0), 1.0)
    return out


def noise_energy(variance: Float32, gains: tuple[float, float]) -> Float32:
    """What :func:`focus_energy` takes out for noise of a variance."""
    return np.asarray((gains[0] + 4 * gains[1]) * variance, np.float32)


def guided(guide: Float32, plane: Float32, radius_px: int, even: float) -> Float32:
    """Guided filter of a plane by a guide, both (h, w)."""
    size = (2 * radius_px + 1, 2 * radius_px + 1)

    def mean(p: Float32) -> Float32:
        return np.asarray(cv2.boxFilter(p, -1, size, borderType=cv2.BORDER_REFLECT), np.float32)

    mean_g, mean_p = mean(guide), mean(plane)
    variance = mean(np.asarray(guide * guide)) - mean_g * mean_g
    a = (mean(np.asarray(guide * plane)) - mean_g * mean_p) / (variance + np.float32(even))
    b = mean_p - a * mean_g
    return np.asarray(mean(np.asarray(a, np.float32)) * guide + mean(np.asarray(b, np.float32)), np.float32)


def depth_of(energies: Sequence[Float32], light: Sequence[Float32], shown: Sequence[NDArray[np.bool_]], noise: Float32) -> Depth:
    """``energies`` (h, w) of each frame, laid on the reference, in order of focus; ``light``: logarithms of light; ``shown``:
    where each frame is; ``noise`` (h, w): energy that was taken out for noise."""
    height, width = noise.shape
    noise = np.maximum(noise, np.float32(LEAST_NOISE))
    real = _real_share(energies, shown, noise)
    floor, given_back = np.float32(real * LEFT_OVER) * noise, np.float32(1 - real) * noise
    frame, sure = np.empty((height, width), np.float32), np.empty((height, width), np.float32)
    rows = max(ROWS // len(energies), FEWEST_ROWS)
    for top in range(0, height, rows):
        # measures of a hundred frames are many: some rows at a time, with those that the filters reach to
        bottom = min(top + rows, height)
        part = slice(max(top - HALO, 0), min(bottom + HALO, height))
        mine = [e[part] + given_back[part] for e in energies]
        one = _rows_of(mine, [e[part] for e in light], [e[part] for e in shown], floor[part])
        inner = slice(top - part.start, bottom - part.start)
        frame[top:bottom], sure[top:bottom] = one.frame[inner], one.sure[inner]
    return Depth(np.asarray(cv2.medianBlur(frame, 5), np.float32), sure)


def _real_share(energies: Sequence[Float32], shown: Sequence[NDArray[np.bool_]], noise: Float32) -> float:
    """How much of the noise that was expected is there: compression and a camera's own noise reduction leave little of the
    finest. The least energy of a place, in the frame that blurs it most, has all of it."""
    least = np.full(noise.shape, np.inf, np.float32)
    for energy, there in zip(energies, shown, strict=True):
        least = np.where(there, np.minimum(least, cv2.boxFilter(energy, -1, (EVENED_PX, EVENED_PX))), least)
    seen = np.isfinite(least)
    return float(np.clip(np.median((least[seen] + noise[seen]) / noise[seen]), LEAST_REAL, 1)) if seen.any() else 1.0


def _told(energies: Float32, there: NDArray[np.bool_], floor: Float32) -> tuple[Float32, Float32]:
    """Energies (n, h, w) that say something, and (h, w) how much: where noise leaves nothing to tell, those of a wider
    neighbourhood. A place's own would be as good as drawn by lot there, and the reference's, which no laying has evened out,
    would be drawn most often."""
    out = np.zeros(energies.shape, np.float32)
    left, sure = np.ones(floor.shape, np.float32), np.zeros(floor.shape, np.float32)
    for size_px in WINDOWS_PX:
        wide = energies if size_px == 1 else np.stack([cv2.boxFilter(e, -1, (size_px, size_px)) for e in energies])
        wide = np.maximum(wide, 0) * there
        best = wide.max(0)
        clear = np.square(best / (LEAST_TOLD * floor / np.float32(size_px)))
        told = clear / (1 + clear)
        share = told * left if size_px != WINDOWS_PX[-1] else left
        out += share * wide
        sure += share * told
        left -= share
    return out, sure


def _rows_of(energies: Sequence[Float32], light: Sequence[Float32], shown: Sequence[NDArray[np.bool_]], floor: Float32) -> Depth:
    there = np.stack(shown)
    stack, told = _told(np.stack(energies), there, floor)
    best = stack.max(0)
    rough = stack.argmax(0)
    guide = np.take_along_axis(np.stack(light), rough[None], 0)[0]
    guide = cv2.medianBlur(np.ascontiguousarray(guide, np.float32), 3)
    weight = np.maximum(guided(guide, told, RADIUS_PX, EVEN), 1e-4)
    share = (stack / np.maximum(best, 1e-12)) ** np.float32(0.5)
    scores = np.stack([guided(guide, (s**SHARPER * told).astype(np.float32), RADIUS_PX, EVEN) for s in share]) / weight
    scores = np.where(there, scores, -1)
    top = scores.argmax(0)
    n = len(scores)
    inner = np.clip(top, 1, max(n - 2, 1))
    frame = top.astype(np.float32)
    if n >= 3:
        low, middle, high = (np.take_along_axis(scores, (inner + k)[None], 0)[0] for k in (-1, 0, 1))
        bend = low - 2 * middle + high
        with np.errstate(divide="ignore", invalid="ignore"):
            between = np.where(bend < -1e-6, 0.5 * (low - high) / bend, 0)
        frame = np.where((top > 0) & (top < n - 1), top + np.clip(between, -0.5, 0.5), top).astype(np.float32)
    sure = np.clip(guided(guide, told, 3, EVEN), 0, 1)
    return Depth(np.asarray(frame, np.float32), np.asarray(sure, np.float32))
