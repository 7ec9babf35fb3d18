"""What is sent for a view: the request as the renderer has it, the recipe, and whose turn it is."""

from dataclasses import MISSING, fields
from typing import Any, Literal, get_type_hints

from pydantic import Field, create_model

from zincplate.api.base_models import In, RecipeDocument
from zincplate.render.view import ViewRequest

_HINTS = get_type_hints(ViewRequest, include_extras=True)
_FIELDS: dict[str, Any] = {f.name: (_HINTS[f.name], ... if f.default is MISSING else f.default) for f in fields(ViewRequest)}
_Request: Any = create_model("_Request", __base__=In, **_FIELDS)


class ViewIn(_Request):
    """A window of the picture scaled to ``scaled_width`` x ``scaled_height``; recipe null is the frame as it came in."""

    recipe: RecipeDocument | None = None
    clipping: bool = False
    urgency: Literal["hand", "seen", "rest"] = "seen"
    line: str = Field(default="", max_length=60)
    """The place on the page that the answer is for: a newer request of the same place makes this one unwanted (204)."""
    number: int = Field(default=0, ge=0)
    """Which request of its place this is, counted by the page: they may arrive in another order. 0: as they arrive."""

    def request(self) -> ViewRequest:
        """As the renderer has it."""
        return ViewRequest(**{name: getattr(self, name) for name in _FIELDS})
