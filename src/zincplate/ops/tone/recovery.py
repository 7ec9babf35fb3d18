"""What becomes of places where the sensor was at its end: clipped, faded to neutral, or rebuilt from the other channels."""

from dataclasses import replace
from typing import Literal

from zincplate.ops.base import Operation, Parameters, choice
from zincplate.plan.light import LightPlan


class RecoveryParameters(Parameters):
    """Of use for camera data only; rendered files carry nothing above their white."""

    highlight_recovery: Literal["clip", "neutral", "rebuild"] = choice(
        "Blown highlights",
        neutral="neutral",
        options={"clip": "Clip", "neutral": "Neutral", "rebuild": "Rebuild"},
        help="Where the sensor was full: end in white, fade to neutral, or rebuild the colour from the channels still open.",
        raw_only=True,
    )


def apply(parameters: RecoveryParameters, plan: LightPlan) -> LightPlan:
    """Sets the way of the plate stage."""
    return replace(plan, plate=replace(plan.plate, recovery=parameters.highlight_recovery)) if plan.raw else plan


RECOVERY = Operation("recovery", "tone", "Blown highlights", 1, RecoveryParameters, apply, rendering=True)
