"""Ink keys: hue, saturation and lightness of the six hues of the colour circle, and of colours picked from the picture.

Each of the six acts in full at its own hue and fades to nothing at its two neighbours (the weights add up to one everywhere).
Hue at 100 goes three tenths of the way to the neighbour, so that the order of hues is kept whatever the other keys do.
A picked key acts in full at its centre and fades to nothing at its reach, in all directions of the colour space.
"""

from dataclasses import replace
from typing import Annotated, Any

from pydantic import Field, create_model

from zincplate.ops.base import Operation, Parameters
from zincplate.ops.inks import key_fields, six
from zincplate.ops.items import WITH_IDS, Item
from zincplate.plan.colour import PickedKey
from zincplate.plan.light import LightPlan

Share = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]


class OwnKey(Item):
    """A colour picked from the picture: its place in Oklab, how far it reaches, and what happens there."""

    name: Annotated[str, Field(min_length=1, max_length=24)]
    centre_lightness: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
    centre_a: Annotated[float, Field(ge=-0.5, le=0.5, allow_inf_nan=False)]
    centre_b: Annotated[float, Field(ge=-0.5, le=0.5, allow_inf_nan=False)]
    reach: Annotated[float, Field(ge=5, le=100, allow_inf_nan=False)] = 30
    hue: Share = 0
    saturation: Share = 0
    lightness: Share = 0
    grey: Share = 0


class _Base(Parameters):
    own_keys: Annotated[tuple[OwnKey, ...], WITH_IDS, Field(max_length=12)] = Field(
        default=(),
        json_schema_extra={"x-ui": {"kind": "own_keys", "label": "Picked keys", "help": "Colours picked from the picture."}},
    )


KeysParameters: Any = create_model(
    "KeysParameters", __base__=_Base, __doc__="Six hues and picked keys, -100 to 100.", **key_fields()
)


def picked(key: OwnKey) -> PickedKey:
    """A key of the recipe in the engine's units."""
    return PickedKey(
        key.centre_lightness,
        key.centre_a,
        key.centre_b,
        reach=0.003 * key.reach,
        hue_degrees=0.4 * key.hue,
        saturation=key.saturation / 100,
        lift=key.lightness / 100,
        grey_weight=key.grey / 100,
    )


def apply(parameters: Any, plan: LightPlan) -> LightPlan:
    """Sets the keys of the colour plan."""
    if parameters == KeysParameters():
        return plan
    colour = replace(
        plan.colour,
        hue=six(parameters, "hue"),
        key_saturation=six(parameters, "saturation"),
        lightness=six(parameters, "lightness"),
        picked=tuple(picked(k) for k in parameters.own_keys),
    )
    return replace(plan, colour=colour)


KEYS: Operation[Any] = Operation("keys", "colour", "Ink keys", 1, KeysParameters, apply)
