"""Making frames of one view equally bright: how much light each got and how the lens darkens to its corners, from places that
several frames show (Goldman & Chen, "Vignette and exposure calibration and compensation", ICCV 2005; the sensor is linear, so its
response need not be found, and logarithms make it a linear problem)."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

TERMS = 3
"""ln of the light that is left: a1 rho^2 + a2 rho^4 + a3 rho^6."""
TERM_DEVIATION = 0.7
COLOUR_DEVIATION = 0.03
"""Of the logarithm, by which one camera's colours differ from frame to frame: other light, no other balance."""
ROUNDS = 12
TUKEY = 4.7
LEAST_SCALE = 0.01


@dataclass(frozen=True)
class Lights:
    """The same places in two frames: logarithms (natural) of red, green, blue (n, 3) each, and their radius (n,) in halves of the
    diagonal, in the files."""

    first: int
    second: int
    light_1: Float64
    light_2: Float64
    rho_1: Float64
    rho_2: Float64


@dataclass(frozen=True)
class Evenness:
    """What was found."""

    log_gain: Float64
    """(frames, 3): what to take off each frame's logarithms; the reference has 0."""
    terms: Float64
    """(3,) of the fall-off."""
    left_over: float
    """Median difference of logarithms afterwards."""


def evened(count: int, lights: Sequence[Lights], told: Float64, reference: int, fall_off: bool, colours_free: bool) -> Evenness:
    """``told`` (count,): ln of the light by the capture data, where measurement begins (0 where nothing is told).

    ``fall_off``: look for it (a profile knows it otherwise). ``colours_free``: finished pictures, whose balance is anything.
    """
    size = count + 3 * count + TERMS
    deviation = np.concatenate([np.full(count, 2.0), np.full(3 * count, 2.0 if colours_free else COLOUR_DEVIATION)])
    deviation = np.concatenate([deviation, np.full(TERMS, TERM_DEVIATION if fall_off else 1e-6)])
    deviation[reference] = 1e-6
    deviation[count + 3 * reference : count + 3 * reference + 3] = 1e-6
    rows, columns, values, right = [], [], [], []
    at = 0
    for pair in lights:
        n = len(pair.rho_1)
        line = np.arange(at, at + 3 * n).reshape(n, 3)
        channel = np.broadcast_to(np.arange(3), (n, 3))
        for frame, sign in ((pair.second, 1.0), (pair.first, -1.0)):
            for column in (np.full((n, 3), frame), count + 3 * frame + channel):
                rows.append(line.ravel())
                columns.append(column.ravel())
                values.append(np.full(3 * n, sign))
        for k in range(TERMS):
            change = pair.rho_2 ** (2 * k + 2) - pair.rho_1 ** (2 * k + 2)
            rows.append(line.ravel())
            columns.append(np.full(3 * n, 4 * count + k))
            values.append(np.repeat(change, 3))
        start = told[pair.second] - told[pair.first]
        right.append((pair.light_2 - pair.light_1 - start).ravel())
        at += 3 * n
    found = np.zeros(size)
    if at == 0:
        return Evenness(np.repeat(told[:, None] - told[reference], 3, 1), np.zeros(TERMS), 0.0)
    from scipy.sparse import csr_matrix

    matrix = csr_matrix((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(at, size))
    aim = np.concatenate(right)
    rest = aim
    for _ in range(ROUNDS):
        scale = max(1.4826 * float(np.median(np.abs(rest))), LEAST_SCALE)
        weight = np.where(np.abs(rest) < TUKEY * scale, (1 - (rest / (TUKEY * scale)) ** 2) ** 2, 0.0)
        weighted = matrix.multiply(weight[:, None]).tocsr()
        square = (matrix.T @ weighted).toarray()
        # expectations weigh as much as some hundred places
        square[np.diag_indices(size)] += 100 * scale**2 / deviation**2
        found = np.linalg.solve(square, weighted.T @ aim)
        rest = aim - matrix @ found
    gains = (found[:count, None] + found[count : 4 * count].reshape(count, 3)) + (told - told[reference])[:, None]
    return Evenness(gains, found[4 * count :], float(np.median(np.abs(rest))))
