"""A sensor's noise from one raw file: variance = slope * signal + offset (EMVA 1288; Foi et al., TIP 17, 2008).

The variance of a flat block follows from second differences between sites of one colour, which cancel what is even or a
ramp. Blocks with drawing in them lie above the noise: in every class of brightness a low quantile is taken, corrected for
where that quantile of a chi-square spread lies.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.kernels.kernel_math import KERNEL

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


@njit(**KERNEL)
def _flatness(mosaic, row, column, bands, black, scale, means, variances):
    """Mean, and mean square of second differences along rows, of blocks of sites of one colour; (bands, blocks) each."""
    blocks = means.shape[1]
    columns = blocks * BLOCK + 2
    for b in prange(bands.size):
        line = np.empty(columns, np.float32)
        means[b] = np.float32(0)
        variances[b] = np.float32(0)
        for i in range(BLOCK):
            sites = mosaic[row + 2 * (bands[b] * BLOCK + i), column : column + 2 * columns - 1]
            for x in range(columns):
                line[x] = (np.float32(sites[2 * x]) - black) / scale
            for n in range(blocks):
                part = line[n * BLOCK : n * BLOCK + BLOCK + 2]
                mean, square = np.float32(0), np.float32(0)
                for x in range(BLOCK):
                    second = part[x] - np.float32(2) * part[x + 1] + part[x + 2]
                    mean += part[x + 1]
                    square += second * second
                means[b, n] += mean
                variances[b, n] += square
        for n in range(blocks):
            means[b, n] *= np.float32(1 / BLOCK**2)
            variances[b, n] *= np.float32(1 / (6 * BLOCK**2))


def measure_noise(mosaic: NDArray[np.uint16], black: Float, white: float) -> NoiseModel:
    """Model of a Bayer mosaic (rows, columns); ``black`` is (2, 2) by parity of row and column."""
    means, variances = [], []
    for row in range(2):
        for column in range(2):
            rows, columns = (mosaic.shape[0] - row + 1) // 2, (mosaic.shape[1] - column + 1) // 2
            rows, columns = rows // BLOCK * BLOCK, (columns - 2) // BLOCK * BLOCK
            if rows < BLOCK or columns < BLOCK:
                return NOISELESS
            # every k-th band of blocks is enough and keeps this below a tenth of a second on large files
            step = max(rows * columns // BLOCK**2 // (MOST_BLOCKS // 4), 1)
            bands = np.arange(0, rows // BLOCK, step)
            mean, variance = np.empty((2, bands.size, columns // BLOCK), np.float32)
            level = np.float32(black[row, column])
            _flatness(mosaic, row, column, bands, level, np.float32(white - black[row, column]), mean, variance)
            means.append(mean.ravel())
            variances.append(variance.ravel())
    return _fitted(np.concatenate(means).astype(np.float64), np.concatenate(variances).astype(np.float64))


def _fitted(mean: Float, variance: Float) -> NoiseModel:
    usable = (mean < 0.9) & (variance > 0)
    mean, variance = mean[usable], variance[usable]
    if mean.size < 200:
        return NOISELESS
    # mean square of n second differences of white noise: its relative spread is sqrt(2 / n) times 1.4 for their overlap
    spread = np.sqrt(2 / BLOCK**2) * 1.4
    correction = 1 / (1 - 1.175 * spread)
    order = np.argsort(mean)
    mean, variance = mean[order], variance[order]
    edges = np.unique(np.quantile(mean, np.linspace(0, 1, CLASSES + 1)))
    levels, values = [], []
    for first, end in zip(np.searchsorted(mean, edges[:-1], "left"), np.searchsorted(mean, edges[1:], "right"), strict=True):
        if end - first >= 20:
            levels.append(float(np.median(mean[first:end])))
            values.append(float(np.quantile(variance[first:end], QUANTILE)) * correction)
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
