"""What a preview is, for whoever only hands it on: this module loads nothing that works on pictures."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Preview:
    """A picture that shows a file before it is developed, as two JPEG: whole, and small for lists (480 pixels)."""

    whole: bytes
    small: bytes
