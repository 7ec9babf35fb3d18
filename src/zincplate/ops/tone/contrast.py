"""Contrast: a power function about middle grey (0.18 scene-linear), which itself does not move."""

import numpy as np
from numpy.typing import NDArray

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan

Float = NDArray[np.float64]
MIDDLE_GREY = 0.18


class ContrastParameters(Parameters):
    """-100 to 100."""

    contrast: float = gauge(
        "Contrast round middle grey",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        wedge=(1, 9),
        help="Spreads tones away from middle grey, or draws them towards it; middle grey stays.",
    )


def contrast_about_grey(x: Float, amount: float) -> Float:
    """``amount`` -1..1 -> gamma 2**(0.8 amount) about middle grey."""
    return MIDDLE_GREY * (np.maximum(x, 0.0) / MIDDLE_GREY) ** (2.0 ** (0.8 * amount))


def apply(parameters: ContrastParameters, plan: LightPlan) -> LightPlan:
    """Adds the power function to the tone functions."""
    if not parameters.contrast:
        return plan
    amount = parameters.contrast / 100
    return plan.with_tone(lambda x: contrast_about_grey(x, amount))


CONTRAST = Operation("contrast", "tone", "Contrast", 1, ContrastParameters, apply)
