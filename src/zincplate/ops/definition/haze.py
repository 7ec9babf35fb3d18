"""Haze: air between camera and subject taken out, or added."""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan


class HazeParameters(Parameters):
    """-100 adds, 100 takes out all that was found."""

    haze: float = gauge(
        "Haze removal",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        help="Takes out the veil of air that grows with distance; lower than zero adds it.",
    )


def apply(parameters: HazeParameters, plan: LightPlan) -> LightPlan:
    """Sets haze of the local stage."""
    return replace(plan, local=replace(plan.local, haze=parameters.haze / 100)) if parameters.haze else plan


HAZE = Operation("haze", "definition", "Haze", 1, HazeParameters, apply)
