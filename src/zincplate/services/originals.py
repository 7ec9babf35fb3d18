"""Where originals and the camera's own previews stand."""

from pathlib import Path

from zincplate.store.home import Home
from zincplate.store.models import Frame


def original_path(home: Home, frame: Frame) -> Path:
    """Where a frame's original stands."""
    return Path(frame.path) if frame.referenced else home.originals / frame.path


def preview_path(home: Home, content_hash: str) -> Path:
    """The camera's own preview, upright."""
    return home.cache / "previews" / f"{content_hash}.jpg"
