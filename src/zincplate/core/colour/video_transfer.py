"""Transfer functions that code points name (ITU-T H.273, table 3): decoding of encoded values to linear light.

Values of the two transfers for high dynamic range are relative to their reference white (203 cd/m2 and 75 % of the signal: ITU-R
BT.2408), so that it comes out as 1 and what is brighter as more.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.colour_spaces import SRGB

Float = NDArray[np.float64]
REFERENCE_WHITE_CD_M2 = 203.0


def perceptual_quantiser(encoded: Float) -> Float:
    """SMPTE ST 2084 (ITU-R BT.2100, table 4): EOTF, in reference whites."""
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    power = np.maximum(encoded, 0) ** (1 / m2)
    light = (np.maximum(power - c1, 0) / (c2 - c3 * power)) ** (1 / m1)
    return np.asarray(light * 10000 / REFERENCE_WHITE_CD_M2)


def hybrid_log_gamma(encoded: Float) -> Float:
    """ARIB STD-B67 (ITU-R BT.2100, table 5): scene light, in that of the reference white (75 %)."""
    a, b, c = 0.17883277, 0.28466892, 0.55991073

    def scene(v: Float) -> Float:
        return np.asarray(np.where(v <= 0.5, v * v / 3, (np.exp((np.maximum(v, 0.5) - c) / a) + b) / 12))

    return scene(np.maximum(encoded, 0)) / scene(np.array(0.75))


def rec709(encoded: Float) -> Float:
    """Inverse of the camera's curve of ITU-R BT.709, BT.601 and BT.2020."""
    alpha, beta = 1.09929682680944, 0.018053968510807
    return np.asarray(np.where(encoded < 4.5 * beta, encoded / 4.5, ((np.maximum(encoded, 0) + alpha - 1) / alpha) ** (1 / 0.45)))


def power(gamma: float) -> Callable[[Float], Float]:
    """A plain power."""
    return lambda encoded: np.asarray(np.maximum(encoded, 0) ** gamma)


TRANSFERS: dict[int, Callable[[Float], Float]] = {
    1: rec709, 4: power(2.2), 5: power(2.8), 6: rec709, 8: power(1.0), 13: SRGB.transfer.decode, 14: rec709, 15: rec709,
    16: perceptual_quantiser, 18: hybrid_log_gamma,
}  # fmt: skip
"""By TransferCharacteristics."""
HIGH_RANGE = (16, 18)

D65, C = (0.3127, 0.3290), (0.310, 0.316)
PRIMARIES: dict[int, tuple[tuple[tuple[float, float], tuple[float, float], tuple[float, float]], tuple[float, float]]] = {
    1: (((0.640, 0.330), (0.300, 0.600), (0.150, 0.060)), D65),
    4: (((0.67, 0.33), (0.21, 0.71), (0.14, 0.08)), C),
    5: (((0.64, 0.33), (0.29, 0.60), (0.15, 0.06)), D65),
    6: (((0.630, 0.340), (0.310, 0.595), (0.155, 0.070)), D65),
    7: (((0.630, 0.340), (0.310, 0.595), (0.155, 0.070)), D65),
    9: (((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)), D65),
    11: (((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)), (0.314, 0.351)),
    12: (((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)), D65),
    22: (((0.630, 0.340), (0.295, 0.605), (0.155, 0.077)), D65),
}
"""By ColourPrimaries (table 2): xy of red, green, blue and of white."""
