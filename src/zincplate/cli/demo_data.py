"""Fills the demo: the camera takes its frames onto the card, and the first shoot is brought in from it."""

import sys
from pathlib import Path

from zincplate.demo.card import ALL_NAMES, write_card
from zincplate.services import bring_in, shoots
from zincplate.services.context import Context
from zincplate.store.database import database
from zincplate.store.models import Shoot

SHOOT_NAME = "Harrow Lane Tileworks, first light"
_MARKER = ".demo-filled"
_BATCHES = (4, 10, 24, 39, 50, 60, 72)
"""After how many files the next ones are brought in, so that the page has something to show early."""


def fill(context: Context) -> None:
    """Writes the card and brings it in, once; what the user does to the shoot later is left alone."""
    marker = context.home.root / _MARKER
    if marker.exists():
        return
    try:
        with database.connection_context():
            shoot = Shoot.get_or_none(Shoot.name == SHOOT_NAME) or shoots.create(SHOOT_NAME)
        ready: list[Path] = []
        folder = context.home.card / "DCIM"
        for count, name in enumerate(write_card(context.home.card), 1):
            ready.append(folder / name)
            if count in _BATCHES or count == len(ALL_NAMES):
                with database.connection_context():
                    bring_in.start(context, shoot, ready)
                ready = []
        marker.touch()
    except Exception as error:  # a thread of its own: say it, the rest goes on
        print(f"zincplate: the demo data could not be completed: {error}", file=sys.stderr, flush=True)
