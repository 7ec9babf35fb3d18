"""Shadows and highlights: dark or light regions moved as regions, with what is drawn inside them kept.

The amount follows the region's brightness (edge-aware base, :mod:`zincplate.core.tone.local_tone`), not the pixel's own, so that
texture and noise keep their contrast and grow by the gain only.
"""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan


class RegionsParameters(Parameters):
    """-100 to 100; 100 is 2.5 stops in the deepest shadows, 2 stops in the highest lights."""

    shadows: float = gauge(
        "Shadows",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        wedge=(0, 4),
        help="Dark regions lighter or deeper, up to 2.5 EV; their inner contrast stays, and noise grows by the gain only.",
    )
    highlights: float = gauge(
        "Highlights",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        wedge=(6, 9),
        help="Light regions held back (lower) or opened, up to 2 EV; drawing inside them stays.",
    )


def apply(parameters: RegionsParameters, plan: LightPlan) -> LightPlan:
    """Sets shadows and highlights of the local stage."""
    if not parameters.shadows and not parameters.highlights:
        return plan
    local = replace(plan.local, shadows=parameters.shadows / 100, highlights=parameters.highlights / 100)
    return replace(plan, local=local)


REGIONS = Operation("regions", "tone", "Shadows and highlights", 1, RegionsParameters, apply)
