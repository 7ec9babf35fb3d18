"""Black point and white point: the two ends of the scale, each by itself, the middle left where it is.

Black: x + b * s * exp(-x / s) with s = 0.05 scene-linear, cut at zero; slope 1 - b exp(-x/s) stays above zero for b < 1.
White: x times 2**(w * t) where t rises smoothly from 0 at middle grey to 1 two and a half stops above; the slope in
log-log is 1 + 0.6 w at least, so the order of tones is kept for w >= -1.
"""

import numpy as np
from numpy.typing import NDArray

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan

Float = NDArray[np.float64]

BLACK_REACH = 0.05
MIDDLE_GREY = 0.18
WHITE_REACH_STOPS = 2.5


class PointsParameters(Parameters):
    """-100 to 100; negative is darker at that end."""

    black_point: float = gauge(
        "Black point",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        wedge=(0, 2),
        help="Where the darkest tones end: lower makes blacks deeper, higher opens them.",
    )
    white_point: float = gauge(
        "White point",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        wedge=(7, 10),
        help="Where the lightest tones end: higher makes whites brighter, lower holds them back.",
    )


def black(x: Float, amount: float) -> Float:
    """Toe moved by ``amount`` (-1..1)."""
    return np.maximum(x + 0.96 * amount * BLACK_REACH * np.exp(-x / BLACK_REACH), 0.0)


def white(x: Float, amount: float) -> Float:
    """Upper tones moved by up to ``amount`` (-1..1) stops."""
    t = np.clip(np.log2(np.maximum(x, 1e-9) / MIDDLE_GREY) / WHITE_REACH_STOPS, 0.0, 1.0)
    return x * 2.0 ** (amount * t * t * (3 - 2 * t))


def apply(parameters: PointsParameters, plan: LightPlan) -> LightPlan:
    """Adds the two ends to the tone functions."""
    b, w = parameters.black_point / 100, parameters.white_point / 100
    if b:
        plan = plan.with_tone(lambda x: black(x, b))
    if w:
        plan = plan.with_tone(lambda x: white(x, w))
    return plan


POINTS = Operation("points", "tone", "Black and white point", 1, PointsParameters, apply)
