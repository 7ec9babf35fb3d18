"""What was judged last, so that a merge of which only the rest was changed is there at once, in whichever process."""

import contextlib
import hashlib
import os
import pickle
from collections.abc import Callable, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, TypeVar

import numpy as np

from zincplate.formats.files import write_file
from zincplate.merges.view import Opened, View, seen

T = TypeVar("T")
FORM = 5
"""Of files: others are not read."""
MOST_BYTES = 250 * 2**20
MOST_FILES = 3


class Kept:
    """The last judgement in memory, and the last few in a folder if there is one: reduced planes as half floats."""

    def __init__(self) -> None:
        self.folder: Path | None = None
        self._temporary: TemporaryDirectory[str] | None = None
        self._key = ""
        self._found: tuple[Any, list[View]] | None = None

    def places_folder(self) -> Path:
        """Where merged places stand; of none was named, one that goes when this object does."""
        if self.folder is not None:
            return self.folder
        if self._temporary is None:
            self._temporary = TemporaryDirectory(prefix="zincplate-")
        return Path(self._temporary.name)

    def judged(self, key: str, frames: Sequence[Opened] | None, judge: Callable[[list[View]], T]) -> tuple[T, list[View]]:
        """What ``judge`` found for ``key``, with the views that it fills; judged anew when nothing is kept for it. ``frames``
        for what may be kept in files: judgements that do not hold frames themselves."""
        if self._found is not None and self._key == key:
            return self._found
        self._found = None
        found = self._read(key, frames)
        if found is None:
            views: list[View] = []
            found = judge(views), views
            if sum(v.planes.nbytes * 2 for v in views) > MOST_BYTES:
                return found
            self._write(key, frames, found)
        self._key, self._found = key, found
        return found

    def _file(self, key: str) -> Path | None:
        if self.folder is None:
            return None
        return self.folder / f"{hashlib.sha256(f'{FORM} {key}'.encode()).hexdigest()[:32]}.judged"

    def _read(self, key: str, frames: Sequence[Opened] | None) -> tuple[Any, list[View]] | None:
        file = self._file(key)
        if file is None or frames is None or not file.is_file():
            return None
        try:
            judged, small = pickle.loads(file.read_bytes())
            os.utime(file)
        except Exception:  # cut off, or by another version of the program: it is judged again
            file.unlink(missing_ok=True)
            return None
        return judged, [seen(f, p.astype(np.float32), step, origin) for f, (p, step, origin) in zip(frames, small, strict=True)]

    def _write(self, key: str, frames: Sequence[Opened] | None, found: tuple[Any, list[View]]) -> None:
        file = self._file(key)
        if file is None or frames is None:
            return
        judged, views = found
        small = [(v.planes.astype(np.float16), v.step, v.origin) for v in views]
        with contextlib.suppress(OSError):  # a full disk: then it is judged again
            write_file(file, pickle.dumps((judged, small), protocol=5))
            files = sorted(file.parent.glob("*.judged"), key=lambda f: f.stat().st_mtime)
            for old in files[:-MOST_FILES]:
                old.unlink(missing_ok=True)
