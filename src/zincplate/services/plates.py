"""Light plates of frames: measured once, kept in the cache."""

import contextlib
from pathlib import Path

from zincplate.formats.errors import FileError
from zincplate.formats.files import write_file
from zincplate.formats.turns import Turn, Urgency
from zincplate.render.light_plate import LightPlate, light_plate
from zincplate.services.context import Context
from zincplate.services.originals import original_path
from zincplate.sources.file import Source
from zincplate.store.home import Home
from zincplate.store.models import Frame

FORM = 3
"""Of kept plates: others are measured again."""


def plate_path(home: Home, content_hash: str) -> Path:
    """Where a frame's plate is kept."""
    return home.cache / "light" / content_hash[:2] / f"{content_hash}.{FORM}.npz"


def kept(home: Home, content_hash: str) -> LightPlate | None:
    """A plate that was measured before; None too when what was kept cannot be read."""
    try:
        return LightPlate.unpacked(plate_path(home, content_hash).read_bytes())
    except (OSError, ValueError):
        return None


def keep(home: Home, content_hash: str, source: Source) -> LightPlate:
    """An open file's plate, measured unless it is kept; a cache that cannot be written is no reason to fail."""
    plate = kept(home, content_hash)
    if plate is None:
        plate = light_plate(source)
        with contextlib.suppress(OSError):
            write_file(plate_path(home, content_hash), plate.packed())
    return plate


def plate_of(context: Context, frame: Frame) -> LightPlate:
    """A frame's plate, measured now if need be; raises ``FileError``."""
    found = kept(context.home, frame.content_hash)
    if found is None:
        source = context.renderer.open(original_path(context.home, frame), frame.content_hash, Turn(Urgency.REST))
        found = context.renderer.on_render_thread(lambda: keep(context.home, frame.content_hash, source), Turn(Urgency.REST))
    return found


def as_shot_of(context: Context, frame: Frame) -> tuple[float, float] | None:
    """Temperature and tint of the balance that the camera was set to; None when the file cannot be read."""
    try:
        return plate_of(context, frame).as_shot
    except FileError:
        return None
