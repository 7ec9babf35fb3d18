"""What several commands share: bad usage, and lens data beside our own."""

import argparse
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from zincplate.formats.lens_profiles import LensDatabase


class BadUsage(Exception):
    """Bad usage found after the arguments were parsed: exit code 2."""


def lenses(arguments: argparse.Namespace) -> "LensDatabase":
    """Lens profiles, with those of ``--lenses``."""
    from zincplate.formats.lens_profiles import LensDatabase

    return LensDatabase(*([arguments.lenses] if arguments.lenses is not None else []))
