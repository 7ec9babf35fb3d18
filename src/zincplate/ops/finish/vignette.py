"""Vignette: light that falls or rises towards the edges of the finished picture, in stops, like a lens or a burned edge."""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan
from zincplate.plan.local import VignettePlan


class VignetteParameters(Parameters):
    """Strength in stops at the corners, the rest 0 to 100."""

    edge_light_ev: float = gauge(
        "Light at the edges",
        neutral=0,
        low=-3,
        high=3,
        step=0.05,
        unit="EV",
        decimals=2,
        help="Corners darker or lighter, in stops.",
    )
    edge_reach: float = gauge(
        "Reach", neutral=50, low=0, high=100, step=1, help="How far from the edges it comes in; 0 keeps to the corners."
    )
    edge_softness: float = gauge("Softness", neutral=60, low=0, high=100, step=1, help="How gradually it sets in.")
    edge_roundness: float = gauge(
        "Roundness", neutral=0, low=-100, high=100, step=1, help="From the picture's own shape (lower) to a circle (higher)."
    )
    edge_spare_highlights: float = gauge(
        "Spare bright parts",
        neutral=0,
        low=0,
        high=100,
        step=1,
        help="Keeps lamps and bright sky near the edges from being darkened.",
    )


def apply(parameters: VignetteParameters, plan: LightPlan) -> LightPlan:
    """Sets the vignette when it has a strength."""
    if not parameters.edge_light_ev:
        return plan
    vignette = VignettePlan(
        parameters.edge_light_ev,
        parameters.edge_reach / 100,
        parameters.edge_roundness / 100,
        parameters.edge_softness / 100,
        parameters.edge_spare_highlights / 100,
    )
    return replace(plan, local=replace(plan.local, vignette=vignette))


VIGNETTE = Operation("vignette", "finish", "Vignette", 1, VignetteParameters, apply)
