"""What a panorama may be told."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class PanoramaOptions(BaseModel):
    """Frames are counted from 0 in the order that is given."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["panorama"] = "panorama"
    projection: Literal["auto", "flat", "straightened", "cylinder", "sphere"] = "auto"
    """How the view is laid on paper; auto goes by how wide it is."""
    yaw_degrees: float = Field(default=0.0, ge=-180, le=180)
    """The view's middle, to the right of where the frames' is."""
    pitch_degrees: float = Field(default=0.0, ge=-90, le=90)
    """How far up the view looks, beyond what the frames say."""
    roll_degrees: float = Field(default=0.0, ge=-45, le=45)
    """The picture turned clockwise."""
    cut: bool = True
    """Cut to what is covered; else what is not stays black, and its outlines are kept."""
    rectangle: float = Field(default=0.0, ge=0, le=100)
    """How far the outline is bent into a rectangle before it is cut."""
    even: bool = True
    """Light and fall-off of the frames are made alike."""
    profile: bool = True
    """A profile of the lens is used where one fits; else distortion and fall-off are found from what frames share."""
    brackets: bool = True
    """Where exposures repeat from place to place, those of each place are merged first."""
    leave_out: tuple[int, ...] = ()
