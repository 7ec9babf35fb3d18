"""What light a finished picture's codes stand for, found from several exposures of one subject (Debevec & Malik, "Recovering high
dynamic range radiance maps from photographs", SIGGRAPH 1997, section 2.1)."""

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

LEVELS = 256
SMOOTH = 30.0
MIDDLE = 128
POWER = 2.2


def response_of(codes: Float64, log_exposure: Float64) -> Float64:
    """(LEVELS,) light of each code, 1 at the middle one, rising.

    ``codes`` (places, frames) 0 to 255 of one channel at the same places; ``log_exposure`` (frames,) natural logarithms of the
    light that each frame got. Raises ``ValueError`` when too few codes lie between black and white to tell.
    """
    nearest = np.clip(np.rint(codes), 0, LEVELS - 1).astype(int)
    weight = np.minimum(nearest, LEVELS - 1 - nearest).astype(np.float64) / MIDDLE
    useful = (weight > 0.05).sum(1) >= 2
    nearest, weight = nearest[useful], weight[useful]
    places, frames = nearest.shape
    if places < 20 or np.ptp(nearest) < 60:
        raise ValueError("too little lies between black and white")
    rows = places * frames + LEVELS - 2 + 1
    a, b = np.zeros((rows, LEVELS + places)), np.zeros(rows)
    index = np.arange(places * frames)
    w = weight.ravel()
    a[index, nearest.ravel()] = w
    a[index, LEVELS + index // frames] = -w
    # what is smooth is the difference from a plain power of the code: logarithms bend too much in the dark
    plain = POWER * np.log((np.arange(LEVELS) + 0.5) / (MIDDLE + 0.5))
    b[index] = w * (np.tile(log_exposure, places) - plain[nearest.ravel()])
    at = places * frames
    for z in range(1, LEVELS - 1):  # smooth, most where least is known
        s = SMOOTH * max(min(z, LEVELS - 1 - z) / MIDDLE, 0.1)
        a[at, z - 1], a[at, z], a[at, z + 1] = s, -2 * s, s
        at += 1
    a[at, MIDDLE] = 1e3
    curve = plain + np.linalg.lstsq(a, b, rcond=None)[0][:LEVELS]
    return np.asarray(np.exp(np.maximum.accumulate(curve)), np.float64)
