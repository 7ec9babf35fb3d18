"""What a panorama may be told."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from zincplate.ops.base import gauge


def _degrees(label: str, most: float, help: str) -> Any:
    return gauge(label, neutral=0, low=-most, high=most, step=0.1, unit="\u00b0", decimals=1, scale="middle", help=help)


class PanoramaOptions(BaseModel):
    """Frames are counted from 0 in the order that is given."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["panorama"] = "panorama"
    projection: Literal["auto", "flat", "straightened", "cylinder", "sphere"] = "auto"
    """How the view is laid on paper; auto goes by how wide it is."""
    yaw_degrees: float = _degrees("Middle", 180, "Which way the middle of the picture looks.")
    """The view's middle, to the right of where the frames' is."""
    pitch_degrees: float = _degrees(
        "Horizon", 90, "How far up the view looks: a horizon that bulges becomes straight. The picture can be dragged as well."
    )
    """How far up the view looks, beyond what the frames say."""
    roll_degrees: float = _degrees("Lean", 45, "Turns the horizon.")
    """The picture turned clockwise."""
    cut: bool = True
    """Cut to what is covered; else what is not stays black, and its outlines are kept."""
    rectangle: float = gauge(
        "Bend to a rectangle", neutral=0, low=0, high=100, step=5, unit="%",
        help="Bends the outline so that less has to be cut off. Straight lines stay as straight as they can.",
    )  # fmt: skip
    """How far the outline is bent into a rectangle before it is cut."""
    even: bool = True
    """Light and fall-off of the frames are made alike."""
    profile: bool = True
    """A profile of the lens is used where one fits; else distortion and fall-off are found from what frames share."""
    near: bool = True
    """Near things that stand elsewhere from frame to frame, because the camera moved, are bent to meet."""
    brackets: bool = True
    """Where exposures repeat from place to place, those of each place are merged first."""
    leave_out: tuple[int, ...] = ()
