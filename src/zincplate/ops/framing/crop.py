"""The crop: where the finished picture lies on the corrected plane. It can be changed for ever.

Its middle is a place of the frame (long edges from the upper left of the uncorrected picture) and so stays on the subject
whatever the movements do; its size is in long edges of the corrected plane.
"""

import math
import re
from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field

from zincplate.ops.base import Operation, Parameters, choice, switch
from zincplate.ops.items import WITH_IDS, Item
from zincplate.plan.frame import CropPlan
from zincplate.plan.light import LightPlan

_RATIO = re.compile(r"(\d{1,5}(?:\.\d{1,4})?):(\d{1,5}(?:\.\d{1,4})?)")
LEAST = 0.005
"""Smallest side of a crop in long edges."""


def ratio_of(text: str) -> float | None:
    """Width to height of "4:5"; None for the words ``original`` and ``free``. Raises ``ValueError``."""
    if text in ("original", "free"):
        return None
    match = _RATIO.fullmatch(text)
    if match is None:
        raise ValueError('a ratio is written like 4:5, or is one of the words "original" and "free"')
    width, height = float(match[1]), float(match[2])
    if not (width > 0 and height > 0 and 0.02 <= width / height <= 50):
        raise ValueError("a ratio needs two sides of which none is fifty times the other")
    return width / height


def _checked_ratio(text: str) -> str:
    ratio_of(text)
    return text


def _checked_side(side: float) -> float:
    if 0 < side < LEAST:
        raise ValueError("a crop needs at least half a percent of the long edge on each side")
    return side


Ratio = Annotated[str, Field(max_length=24), AfterValidator(_checked_ratio)]
Side = Annotated[float, Field(ge=0, le=4, allow_inf_nan=False), AfterValidator(_checked_side)]
Place = Annotated[float, Field(ge=-2, le=3, allow_inf_nan=False)]
Percent = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]


class Guide(Item):
    """A guide line across the finished picture, at a percentage from the left or the top."""

    across: Literal["upright", "level"]
    percent: Percent


def _hidden(label: str, help_text: str, kind: str = "crop") -> dict[str, Any]:
    return {"x-ui": {"kind": kind, "label": label, "help": help_text}}


class CropParameters(Parameters):
    """The whole picture, or the largest part of it that the movements leave covered, unless drawn."""

    crop_x: Place = Field(default=0.0, json_schema_extra=_hidden("Crop, middle x", "Of the long edge, in the frame."))
    crop_y: Place = Field(default=0.0, json_schema_extra=_hidden("Crop, middle y", "Of the long edge, in the frame."))
    crop_width: Side = Field(
        default=0.0, json_schema_extra=_hidden("Crop, width", "Of the long edge; 0 takes the largest that fits.")
    )
    crop_height: Side = Field(
        default=0.0, json_schema_extra=_hidden("Crop, height", "Of the long edge; 0 takes the largest that fits.")
    )
    ratio: Ratio = Field(default="original", json_schema_extra=_hidden("Ratio", "Width to height.", "ratio"))
    reach_beyond: bool = switch(
        "Reach beyond the picture", help="The crop may go where the picture does not; that part is filled and marked."
    )
    beyond: Literal["edge", "mirror", "stretch"] = choice(
        "Filled with",
        neutral="edge",
        options={"edge": "the edge, drawn out", "mirror": "the mirrored picture", "stretch": "the border, stretched"},
        help="What stands beyond the picture until it is filled from the surroundings; a stretched border needs no filling.",
    )
    guides: Annotated[tuple[Guide, ...], WITH_IDS, Field(max_length=12)] = Field(
        default=(), json_schema_extra=_hidden("Guides", "Lines to judge by; they are not delivered.", "guides")
    )


def apply(parameters: CropParameters, plan: LightPlan) -> LightPlan:
    """Sets the crop of the frame plan."""
    drawn = parameters.crop_width > 0 and parameters.crop_height > 0
    ratio = ratio_of(parameters.ratio)
    crop = CropPlan(
        (parameters.crop_x, parameters.crop_y) if drawn else None,
        parameters.crop_width if drawn else 0.0,
        parameters.crop_height if drawn else 0.0,
        None if ratio is None or not math.isfinite(ratio) else ratio,
        not parameters.reach_beyond,
        parameters.beyond == "mirror",
        parameters.beyond == "stretch",
    )
    return replace(plan, frame=replace(plan.frame, crop=crop))


CROP = Operation("crop", "framing", "Crop", 1, CropParameters, apply)
