"""Curves through exact points on all three channels, on single channels, and on luminance.

Points are (input, output) in encoded display values 0..1, as read on a scale of 255; between points the curve is a
monotone cubic (:mod:`zincplate.core.tone.curve`). The RGB curve keeps hue; the luminance curve keeps chromaticity.
Order: single channels, RGB, luminance.
"""

from dataclasses import replace
from itertools import pairwise
from typing import Annotated, Any

from pydantic import AfterValidator, Field

from zincplate.core.tone.curve import IDENTITY, is_identity
from zincplate.ops.base import Operation, Parameters
from zincplate.plan.light import LightPlan

Unit = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Point = tuple[Unit, Unit]


def _rising(points: tuple[Point, ...]) -> tuple[Point, ...]:
    if any(b[0] - a[0] < 1e-4 for a, b in pairwise(points)):
        raise ValueError("curve points need input values that rise by 0.0001 or more")
    return points


CurvePoints = Annotated[tuple[Point, ...], Field(min_length=2, max_length=24), AfterValidator(_rising)]


def _curve(label: str) -> Any:
    return Field(
        default=IDENTITY, json_schema_extra={"x-ui": {"kind": "curve", "label": label, "help": f"{label}: input to output."}}
    )


class CurveParameters(Parameters):
    """Identity unless points are moved."""

    curve_luminance: CurvePoints = _curve("Curve, luminance")
    curve_rgb: CurvePoints = _curve("Curve, RGB")
    curve_red: CurvePoints = _curve("Curve, red")
    curve_green: CurvePoints = _curve("Curve, green")
    curve_blue: CurvePoints = _curve("Curve, blue")


def apply(parameters: CurveParameters, plan: LightPlan) -> LightPlan:
    """Puts every curve that is not the identity into the plan."""
    changes = {
        name: getattr(parameters, name) for name in CurveParameters.model_fields if not is_identity(getattr(parameters, name))
    }
    return replace(plan, **changes) if changes else plan


CURVE = Operation("curve", "tone", "Curve", 1, CurveParameters, apply)
