"""White balance by temperature and tint on the loci of :mod:`zincplate.core.colour.temperature`.

Unset values mean "as shot". For files that are not raw the values are relative: the picture is taken as made for a light
of 6504 K, and another temperature shifts it as if the light had been that one.
"""

from dataclasses import replace
from typing import Annotated, Any

from pydantic import Field

from zincplate.core.colour.temperature import temperature_and_tint, white_point_xy
from zincplate.ops.base import Operation, Parameters
from zincplate.plan.light import LightPlan

_KELVIN_UI: dict[str, Any] = {
    "kind": "kelvin",
    "label": "Temperature",
    "unit": "K",
    "help": "Colour temperature of the light that is to look neutral. Higher makes the picture warmer.",
    "step": 50,
    "decimals": 0,
    "neutral": None,
    "wedge": None,
    "scale": "reciprocal",
    "low": 2000,
    "high": 15000,
}
_TINT_UI: dict[str, Any] = {
    "kind": "gauge",
    "label": "Tint",
    "unit": "",
    "help": "Shift across the temperature scale: lower is greener, higher is more magenta.",
    "step": 1,
    "decimals": 0,
    "neutral": None,
    "wedge": None,
    "scale": "linear",
    "low": -100,
    "high": 100,
}


class BalanceParameters(Parameters):
    """None is as shot."""

    temperature_kelvin: Annotated[float, Field(ge=1600, le=25000, allow_inf_nan=False)] | None = Field(
        default=None, json_schema_extra={"x-ui": _KELVIN_UI}
    )
    tint: Annotated[float, Field(ge=-150, le=150, allow_inf_nan=False)] | None = Field(
        default=None, json_schema_extra={"x-ui": _TINT_UI}
    )


def apply(parameters: BalanceParameters, plan: LightPlan) -> LightPlan:
    """Sets the plan's white point."""
    if parameters.temperature_kelvin is None and parameters.tint is None:
        return replace(plan, white_xy=plan.as_shot_xy)
    kelvin, tint = temperature_and_tint(plan.as_shot_xy)
    if parameters.temperature_kelvin is not None:
        kelvin = parameters.temperature_kelvin
    if parameters.tint is not None:
        tint = parameters.tint
    return replace(plan, white_xy=white_point_xy(kelvin, tint))


def _tint_turned_round(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """To version 2: more tint is more magenta, as its words say; it was less."""
    tint = values.get("tint")
    return ({**values, "tint": -tint} if isinstance(tint, int | float) and tint else values), ""


BALANCE = Operation("balance", "balance", "White balance", 2, BalanceParameters, apply, upgrades=(_tint_turned_round,))
