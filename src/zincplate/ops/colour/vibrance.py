"""Saturation of everything, and vibrance, which spares colours that are strong already, and skin."""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan


class VibranceParameters(Parameters):
    """-100 to 100."""

    vibrance: float = gauge(
        "Vibrance",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        help="Weak colours stronger or weaker; strong colours and the hues of skin move little.",
    )
    saturation: float = gauge(
        "Saturation", neutral=0, low=-100, high=100, step=1, help="All colours stronger or weaker alike; -100 is grey."
    )


def apply(parameters: VibranceParameters, plan: LightPlan) -> LightPlan:
    """Sets both in the colour plan."""
    if not parameters.vibrance and not parameters.saturation:
        return plan
    colour = replace(plan.colour, vibrance=parameters.vibrance / 100, saturation=parameters.saturation / 100)
    return replace(plan, colour=colour)


VIBRANCE = Operation("vibrance", "colour", "Vibrance and saturation", 1, VibranceParameters, apply)
