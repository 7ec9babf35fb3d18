"""Curves through exact points on all three channels, on single channels, and on luminance.

Points are (input, output) in encoded display values 0..1, as read on a scale of 255; between points the curve is a
monotone cubic (:mod:`zincplate.core.tone.curve`). The RGB curve keeps hue; the luminance curve keeps chromaticity.
Order: single channels, RGB, luminance.
"""

from dataclasses import replace
from typing import Any

from pydantic import Field

from zincplate.core.tone.curve import IDENTITY, is_identity
from zincplate.ops.base import Operation, Parameters
from zincplate.ops.curve_points import CurvePoints
from zincplate.plan.light import LightPlan


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
