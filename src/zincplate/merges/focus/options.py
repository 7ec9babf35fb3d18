"""What a focus series may be told."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class Touch(BaseModel):
    """A stroke along which one frame is taken."""

    model_config = ConfigDict(extra="forbid")

    frame: int = Field(ge=0)
    radius: float = Field(gt=0, le=0.5)
    """In widths of the picture."""
    points: tuple[tuple[float, float], ...] = Field(min_length=1, max_length=2000)
    """x and y in shares of width and height."""


class FocusOptions(BaseModel):
    """Frames are counted from 0 in the order that is given, which is that of their focus: near to far, or far to near."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["focus"] = "focus"
    align: bool = True
    """Make up for what focusing and a hand change in size and place."""
    reference: int | None = Field(default=None, ge=0)
    leave_out: tuple[int, ...] = ()
    touches: tuple[Touch, ...] = ()
