"""Black and white: chroma goes, and each of the six hues has a weight in the grey that remains."""

from dataclasses import replace
from typing import Any

from pydantic import create_model

from zincplate.ops.base import Operation, Parameters, switch
from zincplate.ops.inks import grey_fields, six
from zincplate.plan.light import LightPlan


class _Base(Parameters):
    black_and_white: bool = switch(
        "Black and white", help="Takes the colour out; the weights below say how light each hue becomes."
    )


BlackWhiteParameters: Any = create_model(
    "BlackWhiteParameters", __base__=_Base, __doc__="Off unless switched on.", **grey_fields()
)


def apply(parameters: Any, plan: LightPlan) -> LightPlan:
    """Sets the weights when black and white is on."""
    if not parameters.black_and_white:
        return plan
    return replace(plan, colour=replace(plan.colour, grey_weights=six(parameters, "grey")))


BLACK_WHITE: Operation[Any] = Operation("black_white", "colour", "Black and white", 1, BlackWhiteParameters, apply)
