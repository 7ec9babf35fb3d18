"""Monotone piecewise cubic through exact points (Fritsch & Carlson, SIAM J. Numer. Anal. 17, 1980)."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

Float = NDArray[np.float64]
Points = Sequence[tuple[float, float]]

IDENTITY: tuple[tuple[float, float], ...] = ((0.0, 0.0), (1.0, 1.0))


def is_identity(points: Points) -> bool:
    """True when every point lies on the diagonal and both ends are reached."""
    return all(abs(x - y) < 1e-12 for x, y in points) and points[0][0] == 0.0 and points[-1][0] == 1.0


def evaluate(points: Points, x: ArrayLike, extended: bool = False) -> Float:
    """Curve through ``points`` (x strictly rising, 0..1) at ``x``.

    Between the points monotone wherever they are, never beyond their values. Outside the outermost points constant, or with
    ``extended`` straight on (for tables whose input is clamped exactly, so that no corner falls between two entries).
    """
    px = np.array([p[0] for p in points], np.float64)
    py = np.array([p[1] for p in points], np.float64)
    if len(px) < 2 or (np.diff(px) <= 0).any():
        raise ValueError("a curve needs two points or more, with rising input values")
    h, delta = np.diff(px), np.diff(py) / np.diff(px)
    m = np.empty(len(px))
    m[0], m[-1] = delta[0], delta[-1]
    if len(px) > 2:
        # Fritsch & Butland's harmonic mean keeps the result monotone without a second pass
        product = delta[:-1] * delta[1:]
        w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
        safe = np.where(product > 0, delta[:-1] * w2 + delta[1:] * w1, 1.0)
        m[1:-1] = np.where(product > 0, (w1 + w2) * product / safe, 0.0)
        # ends by the non-centred three-point formula, limited (Fritsch & Carlson's condition)
        for end, a, b, ha, hb in ((0, delta[0], delta[1], h[0], h[1]), (-1, delta[-1], delta[-2], h[-1], h[-2])):
            slope = ((2 * ha + hb) * a - ha * b) / (ha + hb)
            if slope * a <= 0:
                slope = 0.0
            elif a * b <= 0 and abs(slope) > 3 * abs(a):
                slope = 3 * a
            m[end] = slope
    xs = np.clip(np.asarray(x, np.float64), px[0], px[-1])
    i = np.clip(np.searchsorted(px, xs, side="right") - 1, 0, len(px) - 2)
    t = (xs - px[i]) / h[i]
    t2, t3 = t * t, t * t * t
    y = (
        (2 * t3 - 3 * t2 + 1) * py[i]
        + (t3 - 2 * t2 + t) * h[i] * m[i]
        + (3 * t2 - 2 * t3) * py[i + 1]
        + (t3 - t2) * h[i] * m[i + 1]
    )
    if extended:
        beyond = np.asarray(x, np.float64) - xs
        y = y + np.where(beyond < 0, m[0], m[-1]) * beyond
    return np.asarray(y)
