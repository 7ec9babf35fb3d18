"""Toning: a colour laid into shadows, midtones and highlights, like a toner bath or tinted paper."""

from dataclasses import replace
from typing import Any

from pydantic import create_model

from zincplate.ops.base import Operation, Parameters
from zincplate.ops.inks import toning_fields, toning_of
from zincplate.plan.light import LightPlan

ToningParameters: Any = create_model(
    "ToningParameters", __base__=Parameters, __doc__="Hues in degrees, strengths 0 to 100.", **toning_fields()
)


def apply(parameters: Any, plan: LightPlan) -> LightPlan:
    """Sets toning where any strength is above zero."""
    toning = toning_of(parameters)
    return plan if toning is None else replace(plan, colour=replace(plan.colour, toning=toning))


TONING: Operation[Any] = Operation("toning", "colour", "Toning", 1, ToningParameters, apply)
