"""A kind of job, declared once: its name, the arguments that its rows hold, and what is done with them."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from pydantic import BaseModel, ConfigDict

from zincplate.services import work
from zincplate.services.context import Context, Progress
from zincplate.store.models import Job


class Arguments(BaseModel):
    """Base of what the rows of a kind hold; fields that come later need defaults, since rows may wait over an update."""

    model_config = ConfigDict(extra="forbid", frozen=True)


A = TypeVar("A", bound=Arguments)


@dataclass(frozen=True)
class JobKind(Generic[A]):
    """One kind. ``body`` may be run again after an interruption; what it raises is handled by the runner."""

    name: str
    arguments: type[A]
    body: Callable[[Context, Progress, A], Any]

    def submit(self, context: Context, title: str, arguments: A, request_key: str = "") -> Job:
        """A new job of this kind, or the one that the same request has started."""
        return work.submit(context, self.name, title, request_key, **arguments.model_dump(mode="json"))

    def run(self, context: Context, job: Progress, stored: dict[str, Any]) -> Any:
        """The body with a row's arguments."""
        return self.body(context, job, self.arguments.model_validate(stored))
