"""What there are records of."""

from collections.abc import Callable
from functools import partial
from typing import Any

from tests.as_it_was import merges, pictures, proposals

GROUPS: dict[str, Callable[[], dict[str, Callable[[], Any]]]] = {
    "controls": pictures.controls,
    "passes": pictures.passes,
    "repairs": pictures.repairs,
    "recipes": pictures.drawn_by_lot,
    "merges": merges.cases,
    "rectangled": partial(merges.cases, bent=True),
    "proposals": proposals.cases,
}
TOLERANCES = {
    "controls": 3e-5,
    "passes": 6e-5,
    "repairs": 6e-5,
    "recipes": 1e-4,
    "merges": 2e-4,
    "rectangled": 4e-3,
    "proposals": 1e-3,
}
"""Of the mean of a block, in shares of white; with them nothing is told when the kernels are compiled for processors without
vectors of 512 bits. One code of 8 bits in one pixel of a small view is 2e-5."""
