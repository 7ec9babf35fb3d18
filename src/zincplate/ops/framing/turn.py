"""Quarter turns, mirror, and the fine angle."""

from dataclasses import replace
from typing import Literal

from zincplate.ops.base import Operation, Parameters, choice, gauge, switch
from zincplate.plan.light import LightPlan

Quarter = Literal["0", "90", "180", "270"]


class TurnParameters(Parameters):
    """As the camera was held unless turned."""

    quarter_turn: Quarter = choice(
        "Turned",
        neutral="0",
        options={"0": "as taken", "90": "right", "180": "upside down", "270": "left"},
        help="Quarter turns of the whole picture, clockwise.",
    )
    mirror: bool = switch("Mirror", help="Left and right change places.")
    angle: float = gauge(
        "Angle",
        neutral=0,
        low=-45,
        high=45,
        step=0.01,
        scale="middle",
        unit="\N{DEGREE SIGN}",
        decimals=2,
        kind="angle",
        help="Turns the picture clockwise (more) or counter-clockwise (less).",
    )


def apply(parameters: TurnParameters, plan: LightPlan) -> LightPlan:
    """Sets the turns of the frame plan."""
    frame = replace(
        plan.frame,
        quarter_turns=int(parameters.quarter_turn) // 90,
        mirror=parameters.mirror,
        roll_degrees=parameters.angle,
    )
    return replace(plan, frame=frame)


TURN = Operation("turn", "framing", "Turn", 1, TurnParameters, apply)
