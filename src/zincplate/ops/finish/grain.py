"""Grain as of film: strongest in the middle tones, of a size that belongs to the picture and not to the zoom."""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan

STRONGEST = 0.08
"""Standard deviation in encoded values at middle grey for 100."""


class GrainParameters(Parameters):
    """0 to 100, and the size of a grain."""

    grain: float = gauge(
        "Grain", neutral=0, low=0, high=100, step=1, help="Grain laid over the picture; none in pure black and white."
    )
    grain_size_px: float = gauge(
        "Grain size",
        neutral=1.5,
        low=0.8,
        high=6,
        step=0.1,
        unit="px",
        decimals=1,
        help="Size of a grain at a long edge of 6,000 pixels; it keeps its size on the picture at every zoom and delivery.",
    )


def apply(parameters: GrainParameters, plan: LightPlan) -> LightPlan:
    """Sets grain of the finish stage when it has a strength."""
    if not parameters.grain:
        return plan
    finish = replace(plan.finish, grain_amount=parameters.grain / 100 * STRONGEST, grain_size_px=parameters.grain_size_px)
    return replace(plan, finish=finish)


GRAIN = Operation("grain", "finish", "Grain", 1, GrainParameters, apply)
