"""Points of a curve as a recipe holds them."""

from itertools import pairwise
from typing import Annotated

from pydantic import AfterValidator, Field

Unit = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Point = tuple[Unit, Unit]


def _rising(points: tuple[Point, ...]) -> tuple[Point, ...]:
    if any(b[0] - a[0] < 1e-4 for a, b in pairwise(points)):
        raise ValueError("curve points need input values that rise by 0.0001 or more")
    return points


CurvePoints = Annotated[tuple[Point, ...], Field(min_length=2, max_length=24), AfterValidator(_rising)]
