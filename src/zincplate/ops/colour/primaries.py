"""Shift of the primaries: red, green and blue turned about white or moved away from it, as another camera would see them."""

from dataclasses import replace
from typing import Any

from pydantic import create_model

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.light import LightPlan

PRIMARIES = ("red", "green", "blue")
TURN_DEGREES = 20.0
PURITY = 0.3


def _fields() -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name in PRIMARIES:
        turn = gauge(
            f"{name.capitalize()} primary, turn",
            neutral=0,
            low=-100,
            high=100,
            step=1,
            help=f"Turns the {name} primary about white by up to {TURN_DEGREES:.0f} degrees; white and greys stay.",
        )
        purity = gauge(
            f"{name.capitalize()} primary, purity",
            neutral=0,
            low=-100,
            high=100,
            step=1,
            help=f"Moves the {name} primary away from white or towards it; white and greys stay.",
        )
        found[f"{name}_primary_turn"] = (float, turn)
        found[f"{name}_primary_purity"] = (float, purity)
    return found


PrimariesParameters: Any = create_model("PrimariesParameters", __base__=Parameters, __doc__="-100 to 100.", **_fields())


def apply(parameters: Any, plan: LightPlan) -> LightPlan:
    """Sets the shift on scene-linear light."""
    if parameters == PrimariesParameters():
        return plan
    shift = tuple(
        (getattr(parameters, f"{n}_primary_turn") / 100 * TURN_DEGREES, getattr(parameters, f"{n}_primary_purity") / 100 * PURITY)
        for n in PRIMARIES
    )
    return replace(plan, primaries=shift)


PRIMARY_SHIFT: Operation[Any] = Operation("primaries", "colour", "Primaries", 1, PrimariesParameters, apply)
