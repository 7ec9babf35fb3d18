"""Exposure: scene-linear values times 2**EV."""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan


class ExposureParameters(Parameters):
    """In stops."""

    exposure_ev: float = gauge(
        "Exposure",
        neutral=0,
        low=-5,
        high=5,
        step=0.05,
        unit="EV",
        decimals=2,
        wedge=(0, 10),
        help="Whole picture lighter or darker; one EV is a factor of two in light.",
    )


def apply(parameters: ExposureParameters, plan: LightPlan) -> LightPlan:
    """Multiplies the plan's gain."""
    return replace(plan, gain=plan.gain * 2.0**parameters.exposure_ev)


EXPOSURE = Operation("exposure", "tone", "Exposure", 1, ExposureParameters, apply)
