"""Colours that are picked from the frame itself, in its own linear values."""

from typing import Annotated

from pydantic import Field

PlateValue = Annotated[float, Field(ge=-1, le=1000, allow_inf_nan=False)]
"""Linear light of one channel of the frame; 1 is where the sensor is full."""
PlateColour = tuple[PlateValue, PlateValue, PlateValue]
