"""What a merge may be told."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from zincplate.ops.base import gauge


class BracketOptions(BaseModel):
    """Of a bracket. Frames are counted from 0 in the order that is given."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["bracket"] = "bracket"
    align: bool = True
    """Lay hand-held frames on each other."""
    ghosts: float = gauge(
        "Ghost removal", neutral=60, low=0, high=100, step=5,
        help="How small a difference counts as a movement. 0 adds everything up.",
    )  # fmt: skip
    """How much is taken for movement: 0 nothing, 100 also small differences."""
    noise: float = gauge(
        "Noise reduction", neutral=0, low=0, high=100, step=5,
        help="50 takes what noise the frames together leave, place by place. Seen in the master, not in this small picture.",
    )  # fmt: skip
    """How much of the noise that is left is taken from the master; 0 leaves it."""
    reference: int | None = Field(default=None, ge=0)
    """The frame whose place, light and colour count; None chooses."""
    leave_out: tuple[int, ...] = ()
    take: tuple[int, ...] = ()
    """Frames that take part whatever is wrong with them."""
    base: dict[int, int] = {}
    """The frame that counts in a region where something moved, by the region's number."""

    @property
    def strictness(self) -> float:
        """Standard deviations from which on a difference is a movement."""
        return 14.0 - 0.11 * self.ghosts
