"""The movements of a view camera, which make leaning uprights parallel and receding horizontals level.

The turn of the camera about its own axis is the fine angle of :mod:`zincplate.ops.framing.turn`.
"""

import math
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from zincplate.ops.base import Operation, Parameters, gauge
from zincplate.ops.items import WITH_IDS, Item
from zincplate.plan.light import LightPlan

Place = Annotated[float, Field(ge=-1, le=2, allow_inf_nan=False)]


class DrawnLine(Item):
    """A line drawn along something that is level or plumb in the world; ends in frame coordinates (long edges)."""

    along: Literal["level", "plumb"]
    x0: Place
    y0: Place
    x1: Place
    y1: Place


class MovementsParameters(Parameters):
    """A camera that stood square to its subject unless moved."""

    tilt: float = gauge(
        "Tilt",
        neutral=0,
        low=-40,
        high=40,
        step=0.05,
        scale="middle",
        unit="\N{DEGREE SIGN}",
        decimals=2,
        help="Uprights that lean together at the top (more) or at the bottom (less) become parallel.",
    )
    swing: float = gauge(
        "Swing",
        neutral=0,
        low=-40,
        high=40,
        step=0.05,
        scale="middle",
        unit="\N{DEGREE SIGN}",
        decimals=2,
        help="Horizontals that run together on the right (more) or on the left (less) become parallel.",
    )
    rise: float = gauge(
        "Rise",
        neutral=0,
        low=-50,
        high=50,
        step=0.5,
        unit="%",
        decimals=1,
        help="Shows more of what is above (more) or below (less), without turning the camera.",
    )
    shift: float = gauge(
        "Shift",
        neutral=0,
        low=-50,
        high=50,
        step=0.5,
        unit="%",
        decimals=1,
        help="Shows more of what is on the right (more) or on the left (less), without turning the camera.",
    )
    stretch: float = gauge(
        "Stretch",
        neutral=0,
        low=-50,
        high=50,
        step=0.5,
        unit="%",
        decimals=1,
        help="Height against width: taller (more) or wider (less).",
    )
    drawn_lines: Annotated[tuple[DrawnLine, ...], WITH_IDS, Field(max_length=4)] = Field(
        default=(),
        json_schema_extra={
            "x-ui": {"kind": "lines", "label": "Drawn lines", "help": "Lines along what is level or plumb; the movements follow."}
        },
    )


def apply(parameters: MovementsParameters, plan: LightPlan) -> LightPlan:
    """Sets the movements of the frame plan."""
    stretch = math.log2(1 + abs(parameters.stretch) / 100)
    frame = replace(
        plan.frame,
        tilt_degrees=parameters.tilt,
        swing_degrees=parameters.swing,
        rise=parameters.rise / 100,
        shift=parameters.shift / 100,
        stretch=math.copysign(stretch, parameters.stretch) if parameters.stretch else 0.0,
    )
    return replace(plan, frame=frame)


MOVEMENTS = Operation("movements", "framing", "Movements", 1, MovementsParameters, apply)
