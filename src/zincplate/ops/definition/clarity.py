"""Clarity: contrast between things of middle size, without fringes along strong edges and without lifting noise."""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan


class ClarityParameters(Parameters):
    """-100 to 100."""

    clarity: float = gauge(
        "Clarity",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        help="Contrast of forms of middle size; lower is softer. Fine grain and hard edges are left alone.",
    )


def apply(parameters: ClarityParameters, plan: LightPlan) -> LightPlan:
    """Sets clarity of the local stage."""
    return replace(plan, local=replace(plan.local, clarity=parameters.clarity / 100)) if parameters.clarity else plan


CLARITY = Operation("clarity", "definition", "Clarity", 1, ClarityParameters, apply)
