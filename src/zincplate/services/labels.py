"""Labels in the user's own words, each with a colour: kept as a readable file in the library."""

import json
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from zincplate.formats.files import write_file
from zincplate.services.context import UserError
from zincplate.store.home import Home

MOST = 12
Ink = Literal["ochre", "brick", "plum", "slate", "teal", "moss", "sand", "ink"]


class Label(BaseModel):
    """A word and its colour."""

    model_config = ConfigDict(extra="forbid")

    name: Annotated[str, Field(min_length=1, max_length=40)]
    ink: Ink


FIRST = (
    Label(name="proof", ink="ochre"),
    Label(name="print", ink="slate"),
    Label(name="web", ink="moss"),
    Label(name="ask", ink="plum"),
)
_LIST = TypeAdapter(list[Label])


def labels(home: Home) -> list[Label]:
    """In the user's order; those to begin with until they are changed, or when the file cannot be read."""
    try:
        return _LIST.validate_json(home.labels.read_bytes())
    except (OSError, ValidationError):
        return list(FIRST)


def set_labels(home: Home, wanted: list[Label]) -> list[Label]:
    """Replaces them; raises :class:`UserError` for doubled names."""
    names = [label.name.strip() for label in wanted]
    if len(set(names)) != len(names) or not all(names):
        raise UserError("Every label needs a name of its own.")
    text = json.dumps([label.model_dump() for label in wanted], indent=1, ensure_ascii=False)
    write_file(home.labels, (text + "\n").encode())
    return wanted
