"""Originals: where they and the camera's own previews stand, how they are copied in, and the list of them."""

import contextlib
import errno
import hashlib
import json
import shutil
from pathlib import Path
from typing import IO

from zincplate.formats.errors import FileError
from zincplate.formats.files import whole_file
from zincplate.services.context import Context
from zincplate.store.home import Home
from zincplate.store.models import Frame, Shoot

_BLOCK = 1 << 20


def original_path(home: Home, frame: Frame) -> Path:
    """Where a frame's original stands."""
    return Path(frame.path) if frame.referenced else home.originals / frame.path


def preview_path(home: Home, content_hash: str) -> Path:
    """The camera's own preview, upright."""
    return home.cache / "previews" / f"{content_hash}.jpg"


def forget(home: Home, path: str) -> bool:
    """Deletes our copy of a file, and says so in the list of originals; False when it was not there."""
    there = False
    with contextlib.suppress(FileNotFoundError):
        (home.originals / path).chmod(0o644)
        (home.originals / path).unlink()
        there = True
    with open(home.manifest, "a", encoding="utf-8") as file:
        file.write(json.dumps({"path": path, "deleted": True}) + "\n")
    return there


def hash_of(path: Path) -> str:
    """SHA-256 of a file."""
    with open(path, "rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def copy_in(context: Context, shoot: Shoot, path: Path, subfolder: str, content_hash: str) -> str:
    """Copies into the shoot's folder under a free name, checked against the hash; returns the relative path."""
    inside = f"{shoot.folder}/{subfolder}" if subfolder else shoot.folder
    folder = context.home.originals / inside
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for number in range(1, 1000):
            name = path.name if number == 1 else f"{path.stem}-{number}{path.suffix}"
            target = folder / name
            if target.exists() and target.stat().st_size == path.stat().st_size and hash_of(target) == content_hash:
                return f"{inside}/{name}"  # left by an attempt that was interrupted
            if target.exists():
                continue
            try:
                with open(path, "rb") as source, whole_file(target, replace=False, mode=0o444) as copy:
                    hashed = _copied(source, copy)
                    if hashed != content_hash:
                        raise FileError(path, "It changed while it was copied. Bring it in again.")
            except FileExistsError:
                continue  # another worker took the name meanwhile
            return f"{inside}/{name}"
        raise FileError(path, "A thousand files of this name are there already.")
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise FileError(path, "The disk is full; the file was not copied. Make room and bring it in again.") from error
        raise FileError(path, f"It could not be copied: {error.strerror}.") from error


def _copied(source: IO[bytes], copy: IO[bytes]) -> str:
    """Copies, reads back what was written, and returns its SHA-256."""
    shutil.copyfileobj(source, copy, _BLOCK)
    copy.flush()
    with open(copy.name, "rb") as written:
        return hashlib.file_digest(written, "sha256").hexdigest()


def note_original(context: Context, stored: str, reference: bool, content_hash: str, size: int) -> None:
    line = json.dumps({"path": stored, "referenced": reference, "sha256": content_hash, "size": size})
    with open(context.home.manifest, "a", encoding="utf-8") as file:
        file.write(line + "\n")
