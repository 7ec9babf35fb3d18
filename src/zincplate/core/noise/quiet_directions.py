"""A sensor's noise below drawing that fills a whole picture: grass, gravel, cloth, leaves.

Small patches of a mosaic are points in a space of 36 dimensions. Drawing fills few of them, since the lens, the size of the sites
and colours that go together leave little at the finest frequencies; noise fills all of them alike. The smallest variances along
the principal directions of many patches are therefore the noise's (Pyatykh, Hesser & Zheng, "Image Noise Level Estimation by
Principal Component Analysis", TIP 22, 2013), and how many of them are is told by where their mean and their median agree (Chen,
Zhu & Heng, "An Efficient Statistical Method for Image Noise Level Estimation", ICCV 2015). Noise grows with light: values are
stabilised (Anscombe; Foi et al., TIP 17, 2008) by what is known so far, patches of like brightness looked at together, and the
line through what they tell taken for the next round.

Where a picture has flat places the blocks of :mod:`noise_model` know them better than directions do, which mix all patches of a
brightness: of both the lower one counts. Limits: drawing that is as strong at the finest frequencies as at all others (made by
a computer, or sharpened before it was written) cannot be told from noise by either.
"""

import numpy as np
from numpy.typing import NDArray

from zincplate.core.noise.noise_model import NOISELESS, NoiseModel, robust_line

Float = NDArray[np.float64]
Float32 = NDArray[np.float32]

SIDE = 6
MOST_PATCHES = 60_000
LEAST_PATCHES = 2_000
"""Fewer leave the smallest of 36 variances too much to chance."""
IN_A_CLASS = 1_500
MOST_CLASSES = 10
ROUNDS = 5


def measure_noise_below_texture(mosaic: NDArray[np.uint16], black: Float, white: float, blocks: NoiseModel) -> NoiseModel:
    """Model of a Bayer mosaic (rows, columns) with black (2, 2) by parity of row and column.

    ``blocks`` is what :func:`.noise_model.measure_noise` tells of it, which counts where it is less.
    """
    patches = _patches(mosaic, black, white)
    if blocks == NOISELESS or len(patches) < LEAST_PATCHES:
        return blocks
    mean = patches.mean(1)
    classes = np.array_split(np.argsort(mean), min(len(patches) // IN_A_CLASS, MOST_CLASSES))
    levels = np.array([float(np.median(mean[inside])) for inside in classes])
    model = blocks
    for _ in range(ROUNDS):
        stable = _stabilised(patches, model)
        told = np.array([_least_variance(stable[inside]) for inside in classes])
        model = robust_line(levels, np.maximum(model.variance(levels) * told, 1e-12), all_of_them=False)
    lower = np.minimum(blocks.variance(levels), model.variance(levels))
    return robust_line(levels, lower, all_of_them=True)


def _patches(mosaic: NDArray[np.uint16], black: Float, white: float) -> Float32:
    """Patches (n, 36) of values with black at 0 and white at 1, none of them near white."""
    height, width = (side // SIDE for side in mosaic.shape)
    bands = np.arange(0, height, max(height * width // MOST_PATCHES, 1))
    rows = (bands[:, None] * SIDE + np.arange(SIDE)).ravel()
    values = mosaic[rows, : width * SIDE].astype(np.float32)
    for y in range(2):
        for x in range(2):
            part = values[y::2, x::2]
            part -= np.float32(black[y, x])
            part /= np.float32(white - black[y, x])
    found = values.reshape(bands.size, SIDE, width, SIDE).transpose(0, 2, 1, 3).reshape(-1, SIDE * SIDE)
    return found[found.max(1, initial=0) < 0.95]


def _stabilised(patches: Float32, model: NoiseModel) -> Float32:
    """Values whose noise has a deviation of 1 where the model is right."""
    floor = 0.375 * model.slope**2 + model.offset
    return np.float32(2 / model.slope) * np.sqrt(np.maximum(np.float32(model.slope) * patches + np.float32(floor), 0))


def _least_variance(values: Float32) -> float:
    """Of patches (n, 36): the mean of their smallest principal variances, as many as lie evenly about it."""
    centred = values - values.mean(0)
    found = np.linalg.eigvalsh((centred.T @ centred / len(values)).astype(np.float64))
    for count in range(found.size, 1, -1):
        smallest = found[:count]
        if smallest.mean() <= np.median(smallest):
            return float(smallest.mean())
    return float(found[0])
