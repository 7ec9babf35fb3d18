"""What the lens did: distortion, colour fringes and fall-off of light, by a profile or by hand."""

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import Field

from zincplate.core.geometry.radial import ByHand
from zincplate.ops.base import Operation, Parameters, choice, gauge
from zincplate.ops.items import WITH_IDS, Item
from zincplate.plan.frame import LensPlan
from zincplate.plan.light import LightPlan

Place = Annotated[float, Field(ge=-1, le=2, allow_inf_nan=False)]


class BentLine(Item):
    """Points along an edge that is straight in the world, in frame coordinates (long edges)."""

    points: Annotated[tuple[tuple[Place, Place], ...], Field(min_length=3, max_length=12)]


class LensParameters(Parameters):
    """No correction unless a profile is chosen or something is set by hand."""

    lens_profile: Annotated[str, Field(max_length=200)] = Field(
        default="",
        json_schema_extra={
            "x-ui": {
                "kind": "profile",
                "label": "Lens profile",
                "help": "Measured data of the lens; the one that fits the file, or one of the list.",
            }
        },
    )
    own_lens: Literal["apply", "leave"] = choice(
        "Correction in the file",
        neutral="apply",
        options={"apply": "as the file says", "leave": "left out"},
        help="Some raw files describe their lens themselves. A profile takes the place of that.",
        raw_only=True,
    )
    distortion: float = gauge(
        "Profile, distortion", neutral=100, low=0, high=150, step=1, unit="%", help="How much of the profile's distortion."
    )
    fringes: float = gauge(
        "Profile, fringes", neutral=100, low=0, high=150, step=1, unit="%", help="How much of the profile's lateral colour."
    )
    fall_off: float = gauge(
        "Profile, fall-off", neutral=100, low=0, high=150, step=1, unit="%", help="How much of the profile's fall-off of light."
    )
    bend: float = gauge(
        "Bend",
        neutral=0,
        low=-20,
        high=20,
        step=0.05,
        unit="%",
        decimals=2,
        help="Straightens lines that bulge outwards like a barrel (less) or inwards like a pincushion (more).",
        # further down the picture folds over itself, unless the bend at the edge takes it back; a recipe may hold that
        more={"low": -14},
    )
    bend_edge: float = gauge(
        "Bend at the edge",
        neutral=0,
        low=-20,
        high=20,
        step=0.05,
        unit="%",
        decimals=2,
        help="The same, growing faster towards the corners: takes out what is left of a wave.",
    )
    fringe_red: float = gauge(
        "Red fringe",
        neutral=0,
        low=-3,
        high=3,
        step=0.01,
        unit="\N{PER MILLE SIGN}",
        decimals=2,
        help="Size of the red part of the picture against the green.",
    )
    fringe_blue: float = gauge(
        "Blue fringe",
        neutral=0,
        low=-3,
        high=3,
        step=0.01,
        unit="\N{PER MILLE SIGN}",
        decimals=2,
        help="Size of the blue part of the picture against the green.",
    )
    corner_light: float = gauge(
        "Corner light",
        neutral=0,
        low=-3,
        high=3,
        step=0.01,
        unit="EV",
        decimals=2,
        help="Light added in the corners of the file to make up for the lens's fall-off.",
    )
    corner_onset: float = gauge(
        "Corner onset",
        neutral=2,
        low=1,
        high=8,
        step=0.1,
        decimals=1,
        help="Power of the radius by which the light grows: higher keeps it nearer to the corners.",
    )
    bent_lines: Annotated[tuple[BentLine, ...], WITH_IDS, Field(max_length=6)] = Field(
        default=(),
        json_schema_extra={
            "x-ui": {
                "kind": "bent_lines",
                "label": "Bent lines",
                "help": "Points along edges that are straight in the world; the bend follows.",
            }
        },
    )


def apply(parameters: LensParameters, plan: LightPlan) -> LightPlan:
    """Sets the lens of the frame plan."""
    by_hand = ByHand(
        k1=parameters.bend / 100,
        k2=parameters.bend_edge / 100,
        red=parameters.fringe_red / 1000,
        blue=parameters.fringe_blue / 1000,
        corner_ev=parameters.corner_light,
        corner_power=parameters.corner_onset,
    )
    shares = (parameters.distortion / 100, parameters.fringes / 100, parameters.fall_off / 100)
    lens = LensPlan(parameters.lens_profile, parameters.own_lens == "apply", *shares, by_hand)
    return replace(plan, frame=replace(plan.frame, lens=lens))


def _within_demosaicing(values: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """To version 2: lateral colour of camera data is undone within demosaicing, no longer after it; bent lines have ids."""
    bent = values.get("bent_lines", ())
    if isinstance(bent, list | tuple) and all(isinstance(line, list | tuple) for line in bent):
        values = {**values, "bent_lines": [{"points": line} for line in bent]}
    used = values.get("fringe_red") or values.get("fringe_blue") or (values.get("lens_profile") and values.get("fringes", 100))
    return values, "Colour fringes of the lens are undone more fully than when this recipe was written." if used else ""


LENS = Operation("lens", "framing", "Lens", 2, LensParameters, apply, upgrades=(_within_demosaicing,))
