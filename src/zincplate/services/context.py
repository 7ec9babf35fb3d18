"""What every use case is given: the home folder, the renderer, and a way to wake the workers."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

from zincplate.engine.render import Renderer
from zincplate.formats.isolated import Decoder
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.formats.turns import Lines
from zincplate.store.home import Home


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
    renderer: Renderer = field(init=False)
    lines: Lines = field(default_factory=Lines)
    """Which request of every place on every page is the newest."""

    def __post_init__(self) -> None:
        self.renderer = Renderer(self.decoder, LensDatabase(self.home.lenses))
