"""Sharpening by amount, radius and threshold (unsharp masking on the encoded lightness), with an edge area.

Amount 120, radius 1.2, threshold 3 is what these three numbers mean everywhere: the difference between the picture and its
Gaussian blur of 1.2 pixels, times 1.2, added where it is more than 3 of 255 levels.
"""

from dataclasses import replace

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan


class SharpenParameters(Parameters):
    """Amount in percent, radius in pixels of the full-size picture, threshold in levels of 255."""

    sharpen_amount: float = gauge(
        "Sharpening",
        neutral=0,
        low=0,
        high=300,
        step=1,
        unit="%",
        help="How much of the difference to a blurred copy is added. Judge it at 1:1.",
    )
    sharpen_radius_px: float = gauge(
        "Radius",
        neutral=1,
        low=0.3,
        high=5,
        step=0.1,
        unit="px",
        decimals=1,
        help="Size of the blur: small for fine detail, large for soft pictures.",
    )
    sharpen_threshold: float = gauge(
        "Threshold",
        neutral=0,
        low=0,
        high=30,
        step=0.5,
        decimals=1,
        help="Differences smaller than this many of 255 levels stay as they are.",
    )
    sharpen_edges: float = gauge(
        "Edges only",
        neutral=0,
        low=0,
        high=100,
        step=1,
        unit="%",
        help="Keeps sharpening to edges, so that plain surfaces and noise stay calm. The edge area can be shown.",
    )


def apply(parameters: SharpenParameters, plan: LightPlan) -> LightPlan:
    """Sets sharpening of the finish stage when there is an amount."""
    if not parameters.sharpen_amount:
        return plan
    finish = replace(
        plan.finish,
        sharpen_amount=parameters.sharpen_amount / 100,
        sharpen_radius_px=parameters.sharpen_radius_px,
        sharpen_threshold=parameters.sharpen_threshold / 255,
        sharpen_edges=parameters.sharpen_edges / 100,
    )
    return replace(plan, finish=finish)


SHARPEN = Operation("sharpen", "definition", "Sharpening", 1, SharpenParameters, apply)
