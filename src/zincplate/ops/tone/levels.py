"""Levels: where input begins and ends, a middle, and where output begins and ends, on the scale of 255.

v = ((input - black) / (white - black)) ** (1 / middle), then spread between the output ends (common practice).
"""

import numpy as np
from numpy.typing import NDArray
from pydantic import model_validator

from zincplate.core.colour.colour_spaces import SRGB
from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan

Float = NDArray[np.float64]


class LevelsParameters(Parameters):
    """Values of encoded tones, 0..255; the middle is a gamma."""

    level_black: float = gauge(
        "Input black", neutral=0, low=0, high=254, step=1, help="Tones at and below this value become the darkest output."
    )
    level_middle: float = gauge(
        "Middle",
        neutral=1,
        low=0.1,
        high=10,
        step=0.01,
        decimals=2,
        scale="log",
        help="Gamma between the two ends: above 1 lightens the middle, below 1 darkens it.",
    )
    level_white: float = gauge(
        "Input white", neutral=255, low=1, high=255, step=1, help="Tones at and above this value become the lightest output."
    )
    output_black: float = gauge(
        "Output black", neutral=0, low=0, high=255, step=1, help="The darkest value that is delivered, for instance for paper."
    )
    output_white: float = gauge(
        "Output white", neutral=255, low=0, high=255, step=1, help="The lightest value that is delivered."
    )

    @model_validator(mode="after")
    def _apart(self) -> "LevelsParameters":
        if self.level_white - self.level_black < 1:
            raise ValueError("input white needs to be at least 1 above input black")
        if self.output_white < self.output_black:
            raise ValueError("output white needs to be at or above output black")
        return self


def levels(x: Float, p: LevelsParameters) -> Float:
    """Display-linear -> display-linear."""
    v = np.clip((SRGB.transfer.encode(x) * 255 - p.level_black) / (p.level_white - p.level_black), 0.0, 1.0)
    v = v ** (1 / p.level_middle)
    return SRGB.transfer.decode((p.output_black + (p.output_white - p.output_black) * v) / 255)


def apply(parameters: LevelsParameters, plan: LightPlan) -> LightPlan:
    """Adds levels to the tone functions, after the view transform."""
    return plan if parameters == LevelsParameters() else plan.with_tone(lambda x: levels(x, parameters))


LEVELS = Operation("levels", "tone", "Levels", 1, LevelsParameters, apply)
