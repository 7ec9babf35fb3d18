"""View transform: scene-linear light -> display light.

A Naka-Rushton sigmoid y = (Q + S) / Q * x^n / (x^n + S), Q = W^n, that keeps middle grey where it is and reaches display
white at W. Standard has the contrast and shoulder of a print; soft is flatter and holds two and a half stops more above
white, for harsh light and as a start for work of one's own. Linear shows the data as they are, for measuring and for files
that are already rendered.
"""

from dataclasses import replace
from functools import partial
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zincplate.ops.base import Operation, Parameters, choice
from zincplate.plan.light import LightPlan

Float = NDArray[np.float64]

GREY = 0.18
SHAPES: dict[str, tuple[float, float]] = {"standard": (1.42, 1.9), "soft": (1.12, 5.0)}
"""Exponent n and scene white W of each."""
WHITE = SHAPES["standard"][1]


class ViewParameters(Parameters):
    """``standard`` for camera data, ``linear`` for rendered files, to begin with."""

    view: Literal["standard", "soft", "linear"] = choice(
        "Rendering",
        neutral="linear",
        options={"standard": "Like a print", "soft": "Soft", "linear": "Linear"},
        help="How scene light becomes picture tones: like a print, softer with more room above white, or linear for measuring.",
    )


def sigmoid(x: Float, shape: str = "standard") -> Float:
    """Scene-linear (0 and up) -> display-linear 0..1."""
    exponent, white = SHAPES[shape]
    q, g = white**exponent, GREY**exponent
    s = q * g * (1 - GREY) / (GREY * q - g)
    p = np.maximum(x, 0.0) ** exponent
    return np.minimum((q + s) / q * p / (p + s), 1.0)


def apply(parameters: ViewParameters, plan: LightPlan) -> LightPlan:
    """Adds the sigmoid as the last tone function on scene light."""
    if parameters.view == "linear":
        return plan
    return replace(plan.with_tone(partial(sigmoid, shape=parameters.view)), soft_gamut=True)


VIEW = Operation("view", "tone", "Rendering", 1, ViewParameters, apply, rendering=True)
