"""A camera with spectral sensitivities: how it sees the scenes, and the matrices that its files carry.

Tables: CIE 1931 2 degree observer, CIE illuminants D65 and A, 380 to 730 nm by 10 nm (CIE 15; values as in
colour-science 0.4.7). Scene colours become spectra by the smoothest-slope reconstruction, which is linear (Burns 2020,
"Numerical methods for smoothest reflectance reconstruction"), so that a 3 x 3 matrix photographs a scene exactly.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.colour_spaces import SRGB

Float64 = NDArray[np.float64]

WAVELENGTHS_NM = np.arange(380.0, 731.0, 10.0)
# fmt: off
_X = (
    0.001368, 0.004243, 0.01431, 0.04351, 0.13438, 0.2839, 0.34828, 0.3362, 0.2908, 0.19536, 0.09564, 0.03201, 0.0049, 0.0093,
    0.06327, 0.1655, 0.2904, 0.43345, 0.5945, 0.7621, 0.9163, 1.0263, 1.0622, 1.0026, 0.85445, 0.6424, 0.4479, 0.2835, 0.1649,
    0.0874, 0.04677, 0.0227, 0.011359, 0.0057903, 0.0028993, 0.00144,
)
_Y = (
    3.9e-05, 0.00012, 0.000396, 0.00121, 0.004, 0.0116, 0.023, 0.038, 0.06, 0.09098, 0.13902, 0.20802, 0.323, 0.503, 0.71,
    0.862, 0.954, 0.99495, 0.995, 0.952, 0.87, 0.757, 0.631, 0.503, 0.381, 0.265, 0.175, 0.107, 0.061, 0.032, 0.017, 0.00821,
    0.004102, 0.002091, 0.001047, 0.00052,
)
_Z = (
    0.00645, 0.02005, 0.06785, 0.2074, 0.6456, 1.3856, 1.7471, 1.7721, 1.6692, 1.2876, 0.81295, 0.46518, 0.272, 0.1582,
    0.07825, 0.04216, 0.0203, 0.00875, 0.0039, 0.0021, 0.00165, 0.0011, 0.0008, 0.00034, 0.00019, 5e-05, 2e-05, 2.1176e-22, 0,
    0, 0, 0, 0, 0, 0, 0,
)
_D65 = (
    49.9755, 54.6482, 82.7549, 91.486, 93.4318, 86.6823, 104.865, 117.008, 117.812, 114.861, 115.923, 108.811, 109.354,
    107.802, 104.79, 107.689, 104.405, 104.046, 100, 96.3342, 95.788, 88.6856, 90.0062, 89.5991, 87.6987, 83.2886, 83.6992,
    80.0268, 80.2146, 82.2778, 78.2842, 69.7213, 71.6091, 74.349, 61.604, 69.8856,
)
_A = (
    9.7951, 12.0853, 14.708, 17.6753, 20.995, 24.6709, 28.7027, 33.0859, 37.8121, 42.8693, 48.2423, 53.9132, 59.8611, 66.0635,
    72.4959, 79.1326, 85.947, 92.912, 100, 107.184, 114.436, 121.731, 129.043, 136.346, 143.618, 150.836, 157.979, 165.028,
    171.963, 178.769, 185.429, 191.931, 198.261, 204.409, 210.365, 216.12,
)
# fmt: on
OBSERVER: Float64 = np.stack([_X, _Y, _Z], 1)
ILLUMINANTS: dict[str, Float64] = {"D65": np.array(_D65), "A": np.array(_A)}


def sensitivities() -> Float64:
    """(36, 3) made-up sensitivities of red, green and blue sites: lobes, tails and shoulders like those published for
    colour filter arrays, with the cut of an infrared filter. No combination of them is the standard observer.
    """
    w = WAVELENGTHS_NM

    def lobe(centre: float, left: float, right: float) -> Float64:
        return np.asarray(np.exp(-0.5 * ((w - centre) / np.where(w < centre, left, right)) ** 2))

    red = lobe(600, 22, 42) + 0.10 * lobe(530, 28, 24) + 0.045 * lobe(430, 18, 25)
    green = lobe(535, 34, 36) + 0.06 * lobe(440, 22, 30) + 0.05 * lobe(620, 20, 30)
    blue = lobe(458, 26, 30) + 0.07 * lobe(540, 25, 25)
    cut = 1 / (1 + np.exp((w - 672) / 9)) / (1 + np.exp((404 - w) / 6))
    return np.asarray(np.stack([0.86 * red, 1.0 * green, 0.92 * blue], 1) * cut[:, None])


def _tristimulus(spectra: Float64, light: Float64) -> Float64:
    return np.asarray((spectra * light) @ OBSERVER / (light @ OBSERVER[:, 1]))


@lru_cache(maxsize=1)
def _primaries() -> Float64:
    """(36, 3) reflectances whose colours under D65 are the Rec.709 primaries; together they are 1 everywhere."""
    n = len(WAVELENGTHS_NM)
    slope = np.diff(np.eye(n), axis=0)
    light = ILLUMINANTS["D65"]
    constraint = (OBSERVER * light[:, None] / (light @ OBSERVER[:, 1])).T
    system = np.block([[2 * slope.T @ slope, constraint.T], [constraint, np.zeros((3, 3))]])
    # this grid's own white, so that the three sum to 1 exactly
    white = _tristimulus(np.ones(n), light)
    to_xyz = SRGB.to_xyz * (white / (SRGB.to_xyz @ np.ones(3)))[:, None]
    right = np.concatenate([np.zeros((n, 3)), to_xyz])
    return np.asarray(np.linalg.solve(system, right)[:n])


def camera_values(spectra: Float64, illuminant: str) -> Float64:
    """(..., 36) reflectances -> camera values; a white reflector gives 1 in the largest channel."""
    light = ILLUMINANTS[illuminant]
    values = (spectra * light) @ sensitivities()
    return np.asarray(values / (light @ sensitivities()).max())


def from_rec709() -> Float64:
    """(3, 3) matrix from linear Rec.709 (D65) scene colour to camera values."""
    return camera_values(_primaries().T, "D65").T


def training_reflectances(count: int = 400, seed: int = 7) -> Float64:
    """(count, 36) smooth random reflectances between 2 and 95 %: sums of one to three sigmoid steps and lobes."""
    rng = np.random.default_rng(seed)
    w = WAVELENGTHS_NM
    out = np.empty((count, len(w)))
    for row in out:
        value = np.full(len(w), rng.uniform(0.02, 0.3))
        for _ in range(int(rng.integers(1, 4))):
            centre, width, height = rng.uniform(400, 700), rng.uniform(12, 45), rng.uniform(-0.4, 0.75)
            shape = (
                1 / (1 + np.exp((centre - w) / width)) if rng.random() < 0.6 else np.exp(-(((w - centre) / (1.6 * width)) ** 2))
            )
            value = value + height * shape
        row[:] = np.clip(value, 0.02, 0.95)
    return out


@lru_cache(maxsize=2)
def colour_matrix(illuminant: str) -> tuple[float, ...]:
    """XYZ -> camera matrix for a DNG file (row-major), the white exact and the rest least squares
    (white-preserving regression, Finlayson and Drew 1997).
    """
    spectra = training_reflectances()
    xyz, values = _tristimulus(spectra, ILLUMINANTS[illuminant]), camera_values(spectra, illuminant)
    white_xyz = _tristimulus(np.ones(len(WAVELENGTHS_NM)), ILLUMINANTS[illuminant])
    white_camera = camera_values(np.ones(len(WAVELENGTHS_NM)), illuminant)
    rows = []
    for channel in range(3):
        system = np.block([[xyz.T @ xyz, white_xyz[:, None]], [white_xyz[None], np.zeros((1, 1))]])
        right = np.concatenate([xyz.T @ values[:, channel], [white_camera[channel]]])
        rows.append(np.linalg.solve(system, right)[:3])
    return tuple(round(float(v), 4) for v in np.ravel(rows))
