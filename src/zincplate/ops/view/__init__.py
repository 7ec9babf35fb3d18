"""View transform: scene-linear light -> display light.

Standard is a Naka-Rushton sigmoid y = (Q + S) / Q * x^n / (x^n + S), Q = W^n, that keeps middle grey where it is and
reaches display white at W: the contrast and shoulder of a print. Linear shows the data as they are, for measuring and
for files that are already rendered.
"""

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zincplate.ops.base import LightPlan, Operation, Parameters

Float = NDArray[np.float64]

GREY = 0.18
EXPONENT = 1.42
WHITE = 1.9


class ViewParameters(Parameters):
    """``standard`` for camera data, ``linear`` for rendered files, to begin with."""

    view: Literal["standard", "linear"] = Field(
        default="linear",
        json_schema_extra={
            "x-ui": {
                "kind": "choice",
                "label": "Rendering",
                "help": "How scene light becomes picture tones: like a print, or linear for measuring.",
                "options": {"standard": "Like a print", "linear": "Linear"},
            }
        },
    )


def standard(x: Float) -> Float:
    """Scene-linear (0 and up) -> display-linear 0..1."""
    q, g = WHITE**EXPONENT, GREY**EXPONENT
    s = q * g * (1 - GREY) / (GREY * q - g)
    p = np.maximum(x, 0.0) ** EXPONENT
    return np.minimum((q + s) / q * p / (p + s), 1.0)


def apply(parameters: ViewParameters, plan: LightPlan) -> LightPlan:
    """Adds the sigmoid as the last tone function."""
    return plan.with_tone(standard) if parameters.view == "standard" else plan


VIEW = Operation("view", "tone", "Rendering", 1, ViewParameters, apply)
