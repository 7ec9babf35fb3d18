"""Toning: a colour laid into shadows, midtones and highlights, like a toner bath or tinted paper."""

from dataclasses import replace
from typing import Any

from pydantic import create_model

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.plan.colour import ToningPlan
from zincplate.plan.light import LightPlan

RANGES = {"shadows": (0, 4), "midtones": (3, 7), "highlights": (6, 10)}
_HUES = {"shadows": 250.0, "midtones": 60.0, "highlights": 80.0}


class _Base(Parameters):
    toning_balance: float = gauge(
        "Toning balance",
        neutral=0,
        low=-100,
        high=100,
        step=1,
        help="Which side reaches further: lower gives the shadows' colour more room, higher the highlights'.",
    )


def _fields() -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, wedge in RANGES.items():
        hue = gauge(
            f"{name.capitalize()}, hue",
            neutral=_HUES[name],
            low=0,
            high=360,
            step=1,
            unit="\N{DEGREE SIGN}",
            kind="hue",
            help=f"Colour laid into the {name}; it shows once there is a strength.",
        )
        strength = gauge(
            f"{name.capitalize()}, strength",
            neutral=0,
            low=0,
            high=100,
            step=1,
            wedge=wedge,
            help=f"How strongly the {name} are toned.",
        )
        found[f"toning_{name}_hue"] = (float, hue)
        found[f"toning_{name}"] = (float, strength)
    return found


ToningParameters: Any = create_model(
    "ToningParameters", __base__=_Base, __doc__="Hues in degrees, strengths 0 to 100.", **_fields()
)


def apply(parameters: Any, plan: LightPlan) -> LightPlan:
    """Sets toning where any strength is above zero."""
    values = {n: (getattr(parameters, f"toning_{n}_hue"), getattr(parameters, f"toning_{n}") / 100) for n in RANGES}
    if not any(strength for _, strength in values.values()):
        return plan
    toning = ToningPlan(values["shadows"], values["midtones"], values["highlights"], parameters.toning_balance / 100)
    return replace(plan, colour=replace(plan.colour, toning=toning))


TONING: Operation[Any] = Operation("toning", "colour", "Toning", 1, ToningParameters, apply)
