"""The one error that reading or writing a file raises."""

from pathlib import Path


class FileError(ValueError):
    """A file that cannot be used. ``str()`` is a sentence that names the file and the reason."""

    def __init__(self, path: str | Path, reason: str) -> None:
        self.name = Path(path).name
        self.reason = reason
        super().__init__(f"{self.name}: {reason}")
