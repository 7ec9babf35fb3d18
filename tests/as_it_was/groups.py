"""What there are records of."""

from collections.abc import Callable
from typing import Any

from tests.as_it_was import merges, pictures, proposals

GROUPS: dict[str, Callable[[], dict[str, Callable[[], Any]]]] = {
    "controls": pictures.controls,
    "passes": pictures.passes,
    "repairs": pictures.repairs,
    "recipes": pictures.drawn_by_lot,
    "merges": merges.cases,
    "proposals": proposals.cases,
}
TOLERANCES = {"controls": 2e-5, "passes": 2e-5, "repairs": 2e-5, "recipes": 4e-5, "merges": 2e-4, "proposals": 1e-3}
"""Of the mean of a block, in shares of white; views and areas have 8 bits, whose means are finer."""
