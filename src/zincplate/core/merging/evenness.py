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
    found: Float64 = np.zeros(size)
    # one block for each pair and channel: the unknowns that its places depend on, how, and what they should come to
    blocks: list[tuple[NDArray[np.int64], Float64, Float64]] = []
    for pair in lights:
        n, start = len(pair.rho_1), told[pair.second] - told[pair.first]
        change = [pair.rho_2 ** (2 * k + 2) - pair.rho_1 ** (2 * k + 2) for k in range(TERMS)]
        how = np.stack([np.ones(n), -np.ones(n), np.ones(n), -np.ones(n), *change], 1)
        for channel in range(3):
            own = [count + 3 * frame + channel for frame in (pair.second, pair.first)]
            where = np.array([pair.second, pair.first, *own, *range(4 * count, size)])
            blocks.append((where, how, pair.light_2[:, channel] - pair.light_1[:, channel] - start))
    if not sum(len(aim) for _, _, aim in blocks):
        return Evenness(np.repeat(told[:, None] - told[reference], 3, 1), np.zeros(TERMS), 0.0)
    rest = [aim for _, _, aim in blocks]
    for _ in range(ROUNDS):
        scale = max(1.4826 * float(np.median(np.abs(np.concatenate(rest)))), LEAST_SCALE)
        # expectations weigh as much as some hundred places
        square, right = np.diag(100 * scale**2 / deviation**2), np.zeros(size)
        for (where, how, aim), over in zip(blocks, rest, strict=True):
            weight = np.where(np.abs(over) < TUKEY * scale, (1 - (over / (TUKEY * scale)) ** 2) ** 2, 0.0)
            weighted = how.T * weight
            square[np.ix_(where, where)] += weighted @ how
            right[where] += weighted @ aim
        found = np.asarray(np.linalg.solve(square, right), np.float64)
        rest = [aim - how @ found[where] for where, how, aim in blocks]
    gains = (found[:count, None] + found[count : 4 * count].reshape(count, 3)) + (told - told[reference])[:, None]
    return Evenness(gains, found[4 * count :], float(np.median(np.abs(np.concatenate(rest)))))
