"""What every use case is given: the home folder, the renderer, and a way to wake the workers."""

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

from zincplate.formats.isolated import Decoder
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.formats.turns import Lines
from zincplate.render.render import Renderer
from zincplate.services.lately import Lately
from zincplate.store.home import Home

MEMORY_MB = "ZINCPLATE_MEMORY_MB"
"""Setting in the environment: what web process and workers together may keep; the picture in work comes on top."""
DEFAULT_MB, LEAST_MB, MOST_MB = 2048, 768, 6144
"""Without it a quarter of the machine's memory, no less than the first and no more than the last of these."""
CONTROL_GROUP = Path("/sys/fs/cgroup/memory.max")
WEB_SHARE, WORKER_SHARE = 0.6, 0.2
"""Two workers."""
PROGRAM_BYTES = 320 << 20
"""A process of ours with its libraries and compiled kernels."""
LEAST_BYTES = 64 << 20


def memory_setting() -> int:
    """Bytes for everything together; raises :class:`UserError` for a setting that is none."""
    text = os.environ.get(MEMORY_MB)
    if text is None:
        return usual_mb() << 20
    if not (text.isascii() and text.isdigit()) or int(text) < LEAST_MB:
        raise UserError(f"{MEMORY_MB}={text}: Give a whole number of megabytes from {LEAST_MB} on.")
    return int(text) << 20


def usual_mb(control_group: Path = CONTROL_GROUP) -> int:
    """Megabytes for everything together where nothing is set: large windows ask for 226 MB of one picture in stages alone, small
    machines have to hold other programs too. A ``control_group`` that this process may not leave bounds the machine's memory."""
    memory_bytes = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    try:
        text = control_group.read_text().strip()
    except OSError:
        text = "max"  # none: another system, or no control groups
    if text.isascii() and text.isdigit():
        memory_bytes = min(memory_bytes, int(text))
    return min(max((memory_bytes >> 20) // 4, DEFAULT_MB), MOST_MB)


class UserError(ValueError):
    """Something asked for that cannot be done; the message is a sentence for the user."""


class NotFound(UserError):
    """There is nothing under this number."""


class Progress(Protocol):
    """What a job's body may say about itself."""

    def progress(self, share: float, note: str = "") -> None:
        """Share done 0..1 and a few words; raises when the job was cancelled."""
        ...

    @property
    def id(self) -> str:
        """The job's id."""
        ...


def _nobody(job_id: str) -> None:
    """No workers to wake: they find the row by themselves."""


@dataclass
class Context:
    """One per process."""

    home: Home
    decoder: Decoder = field(default_factory=Decoder)
    wake: Callable[[str], None] = _nobody
    share: float = WEB_SHARE
    """Of the memory of the whole installation."""
    renderer: Renderer = field(init=False)
    lines: Lines = field(default_factory=Lines)
    """Which request of every place on every page is the newest."""
    lately: Lately = field(default_factory=Lately)

    def __post_init__(self) -> None:
        memory_bytes = max(int(self.share * memory_setting()) - PROGRAM_BYTES, LEAST_BYTES)
        self.renderer = Renderer(self.decoder, LensDatabase(self.home.lenses), memory_bytes)
