"""Errors that are told: their text is a sentence for the user."""

from pathlib import Path


class Told(Exception):
    """Something that cannot be done; ``str()`` is a sentence that says what and why."""


class FileError(Told, ValueError):
    """A file that cannot be used. ``str()`` is a sentence that names the file and the reason."""

    def __init__(self, path: str | Path, reason: str) -> None:
        self.name = Path(path).name
        self.reason = reason
        super().__init__(f"{self.name}: {reason}")
