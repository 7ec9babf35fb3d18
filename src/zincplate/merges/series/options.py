"""What a series may be told."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from zincplate.ops.base import gauge

Role = Literal["light", "dark", "flat", "bias", "land"]


class SeriesOptions(BaseModel):
    """Frames are counted from 0 in the order that is given."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["series"] = "series"
    method: Literal["clip", "median", "mean"] = "clip"
    """Mean of what agrees with the median; the median; the mean of all."""
    deviations: float = gauge(
        "Leave out beyond", neutral=4, low=1.5, high=12, step=0.5, unit="\u03c3", decimals=1,
        help="Standard deviations of noise from what most frames show: beyond, a frame's pixel is left out.",
    )  # fmt: skip
    """Standard deviations of noise beyond which a frame's pixel is left out, with clip."""
    align: Literal["auto", "stars", "features", "none"] = "auto"
    """What frames are laid on each other by."""
    even_sky: bool = True
    """A sky that grows brighter or darker from frame to frame is made alike; with stars only."""
    still_land: bool = False
    """The land stays as one frame shows it (or as they all do, not turned with the sky); with stars only."""
    roles: dict[int, Role] = {}
    """What a frame is, where that is not what is found."""
    reference: int | None = Field(default=None, ge=0)
    leave_out: tuple[int, ...] = ()
    take: tuple[int, ...] = ()
    """Frames that take part whatever is wrong with them."""
