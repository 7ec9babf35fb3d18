"""Black and white: chroma goes, and each of the six hues has a weight in the grey that remains."""

from dataclasses import replace
from typing import Any

from pydantic import create_model

from zincplate.ops.base import COLOURS, Operation, Parameters, gauge, switch
from zincplate.plan.colour import Six
from zincplate.plan.light import LightPlan


class _Base(Parameters):
    black_and_white: bool = switch(
        "Black and white", help="Takes the colour out; the weights below say how light each hue becomes."
    )


def _fields() -> dict[str, Any]:
    return {
        f"{colour}_grey": (
            float,
            gauge(
                f"{colour.capitalize()}, weight in grey",
                neutral=0,
                low=-100,
                high=100,
                step=1,
                kind="key",
                help=f"How light {colour} colours become in black and white.",
                more={"property": "grey", "colour": colour},
            ),
        )
        for colour in COLOURS
    }


BlackWhiteParameters: Any = create_model("BlackWhiteParameters", __base__=_Base, __doc__="Off unless switched on.", **_fields())


def apply(parameters: Any, plan: LightPlan) -> LightPlan:
    """Sets the weights when black and white is on."""
    if not parameters.black_and_white:
        return plan
    a, b, c, d, e, f = (getattr(parameters, f"{colour}_grey") / 100 for colour in COLOURS)
    weights: Six = (a, b, c, d, e, f)
    return replace(plan, colour=replace(plan.colour, grey_weights=weights))


BLACK_WHITE: Operation[Any] = Operation("black_white", "colour", "Black and white", 1, BlackWhiteParameters, apply)
