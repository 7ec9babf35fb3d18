"""A sensor's noise from one raw file: variance = slope * signal + offset (EMVA 1288; Foi et al., TIP 17, 2008).

The variance of a flat block follows from second differences between sites of one colour, which cancel what is even or a
ramp. Blocks with drawing in them lie above the noise: in every class of brightness a low quantile is taken, corrected for
where that quantile of a chi-square spread lies.
"""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float64]

BLOCK = 12
QUANTILE = 0.12
CLASSES = 24
MOST_BLOCKS = 20_000


@dataclass(frozen=True)
class NoiseModel:
    """Of site values with black at 0 and white at 1."""

    slope: float
    offset: float

    def variance(self, signal: Float) -> Float:
        """Of one site at a mean signal 0..1."""
        return np.asarray(self.slope * np.maximum(signal, 0) + self.offset)


NOISELESS = NoiseModel(1e-9, 1e-10)


def measure_noise(mosaic: NDArray[np.uint16], black: Float, white: float) -> NoiseModel:
    """Model of a Bayer mosaic (rows, columns); ``black`` is (2, 2) by parity of row and column."""
    means, variances = [], []
    for row in range(2):
        for column in range(2):
            sites = mosaic[row::2, column::2]
            rows, columns = sites.shape[0] // BLOCK * BLOCK, (sites.shape[1] - 2) // BLOCK * BLOCK
            if rows < BLOCK or columns < BLOCK:
                return NOISELESS
            # every k-th band of blocks is enough and keeps this below a tenth of a second on large files
            step = max(rows * columns // BLOCK**2 // (MOST_BLOCKS // 4), 1)
            bands = np.arange(0, rows // BLOCK, step)
            index = (bands[:, None] * BLOCK + np.arange(BLOCK)).ravel()
            x = (sites[index, : columns + 2].astype(np.float32) - np.float32(black[row, column])) / np.float32(
                white - black[row, column]
            )
            second = (x[:, :-2] - 2 * x[:, 1:-1] + x[:, 2:])[:, :columns]
            shape = (bands.size, BLOCK, columns // BLOCK, BLOCK)
            means.append(x[:, 1:-1][:, :columns].reshape(shape).mean((1, 3)).ravel())
            variances.append((second**2 / 6).reshape(shape).mean((1, 3)).ravel())
    return _fitted(np.concatenate(means).astype(np.float64), np.concatenate(variances).astype(np.float64))


def _fitted(mean: Float, variance: Float) -> NoiseModel:
    usable = (mean < 0.9) & (variance > 0)
    mean, variance = mean[usable], variance[usable]
    if mean.size < 200:
        return NOISELESS
    # mean square of n second differences of white noise: its relative spread is sqrt(2 / n) times 1.4 for their overlap
    spread = np.sqrt(2 / BLOCK**2) * 1.4
    correction = 1 / (1 - 1.175 * spread)
    edges = np.unique(np.quantile(mean, np.linspace(0, 1, CLASSES + 1)))
    levels, values = [], []
    for low, high in pairwise(edges):
        inside = (mean >= low) & (mean <= high)
        if inside.sum() >= 20:
            levels.append(float(np.median(mean[inside])))
            values.append(float(np.quantile(variance[inside], QUANTILE)) * correction)
    return robust_line(np.array(levels), np.array(values), all_of_them=False)


def robust_line(level: Float, variance: Float, *, all_of_them: bool) -> NoiseModel:
    """The line over levels (n,) through variances (n,) above 0, each weighing by its own share.

    Unless all of them are to count, those far above it are left out: there was nothing without drawing.
    """
    design = np.stack([np.maximum(level, 0), np.ones_like(level)], 1)
    weight = 1 / variance
    keep = np.ones(level.size, bool)
    slope = offset = 0.0
    for _ in range(1 if all_of_them else 4):
        w = weight * keep
        slope, offset = np.linalg.lstsq(design * w[:, None], variance * w, rcond=None)[0]
        keep = variance < 1.35 * np.maximum(design @ (slope, offset), 1e-12)
        if keep.sum() < 3:
            break
    return NoiseModel(max(float(slope), 1e-8), max(float(offset), 1e-10))
