"""Files that were not brought in, and why: what the sheet says of them."""

from collections.abc import Sequence
from pathlib import Path

import peewee

from zincplate.formats.errors import FileError
from zincplate.store.models import Refusal, Shoot

UNEXPECTED = "It could not be brought in: something in it is not as it should be."
SEVERAL = 3
"""Missing files from which on they are told together."""


def reason_of(error: Exception) -> str:
    """A sentence for the user."""
    if isinstance(error, FileError):
        return error.reason
    if isinstance(error, OSError) and error.strerror:
        return f"It could not be brought in: {error.strerror}."
    return UNEXPECTED


def gone(path: Path) -> bool:
    """Whether there is no such file any more; one that cannot be looked at for another reason is refused for that reason."""
    try:
        path.stat()
    except (FileNotFoundError, NotADirectoryError):
        return True
    except OSError:
        return False
    return False


def tell_missing(shoot: Shoot, folder: str, missing: Sequence[str], total: int) -> None:
    """Files that went away before they were read: a card that was pulled is one line, not a hundred."""
    Refusal.delete().where(Refusal.shoot == shoot, Refusal.name == folder[:250]).execute()
    if len(missing) < SEVERAL:
        for name in missing:
            refuse(shoot, name, "The file is not there.")
        return
    # what an earlier try told of each of them is said by the one line
    for part in peewee.chunked(missing, 500):
        Refusal.delete().where(Refusal.shoot == shoot, Refusal.name.in_([name[:250] for name in part])).execute()
    refuse(
        shoot,
        folder,
        f"It went away while it was brought in: {len(missing)} of {total} files are missing, {missing[0]} to {missing[-1]}. "
        "Put it in again and bring it in once more; what is here already is passed over.",
    )


def refuse(shoot: Shoot, name: str, reason: str) -> None:
    """Lists a file that is not in, with the newest reason."""
    Refusal.delete().where(Refusal.shoot == shoot, Refusal.name == name[:250]).execute()
    Refusal.create(shoot=shoot, name=name[:250], reason=reason[:500])
