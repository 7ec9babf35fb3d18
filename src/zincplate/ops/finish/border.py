"""Border: an even edge of paper, laid over the outermost part of the picture so that a delivery keeps its stated size."""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan


class BorderParameters(Parameters):
    """Width in percent of the short edge, tone in percent of white."""

    border_percent: float = gauge(
        "Border",
        neutral=0,
        low=0,
        high=20,
        step=0.25,
        unit="%",
        decimals=2,
        help="Width of the paper edge, in percent of the short side. It covers the picture's edge; the size stays.",
    )
    border_tone: float = gauge(
        "Border tone", neutral=100, low=0, high=100, step=1, unit="%", help="From black (0) to paper white (100)."
    )


def apply(parameters: BorderParameters, plan: LightPlan) -> LightPlan:
    """Sets the border when it has a width."""
    if not parameters.border_percent:
        return plan
    finish = replace(plan.finish, border_share=parameters.border_percent / 100, border_grey=parameters.border_tone / 100)
    return replace(plan, finish=finish)


BORDER = Operation("border", "finish", "Border", 1, BorderParameters, apply)
