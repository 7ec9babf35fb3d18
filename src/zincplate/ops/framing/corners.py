"""The four corners of the picture, pulled freely: perspective by eye."""

from dataclasses import replace
from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from zincplate.ops.base import Operation, Parameters
from zincplate.plan.frame import NO_CORNERS
from zincplate.plan.light import LightPlan

Pull = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


def _eight(value: Any) -> Any:
    if isinstance(value, list | tuple) and len(value) != 8:
        raise ValueError(f"corners need eight numbers (x and y of each, from the upper left clockwise), not {len(value)}")
    return value


Pulls = Annotated[tuple[Pull, Pull, Pull, Pull, Pull, Pull, Pull, Pull], BeforeValidator(_eight)]


class CornersParameters(Parameters):
    """Corners stay where the movements put them unless pulled."""

    corners: Pulls = Field(
        default=NO_CORNERS,
        json_schema_extra={
            "x-ui": {
                "kind": "corners",
                "label": "Corners",
                "help": "x and y by which the upper left, upper right, lower right and lower left corner is pulled.",
            }
        },
    )


def apply(parameters: CornersParameters, plan: LightPlan) -> LightPlan:
    """Sets the pulls of the frame plan."""
    return replace(plan, frame=replace(plan.frame, corners=parameters.corners))


CORNERS = Operation("corners", "framing", "Corners", 1, CornersParameters, apply)
