"""What may be asked of a view, and what it answers."""

from dataclasses import dataclass, field, replace
from typing import Annotated, Literal

import numpy as np
from annotated_types import Ge, Le
from numpy.typing import NDArray

from zincplate.pipeline.framing import Framed
from zincplate.pipeline.windows import Sized, Window
from zincplate.recipe.document import RecipeError

Show = Literal["picture", "edges", "reach", "area", "area_alone", "area_outline", "dust"]


@dataclass(frozen=True)
class ViewRequest:
    """The picture scaled to ``scaled_width`` x ``scaled_height``, and the window of it that is wanted.

    The API's body is made from these fields, and the ranges are checked there.
    """

    scaled_width: Annotated[int, Ge(1), Le(65_000)]
    scaled_height: Annotated[int, Ge(1), Le(65_000)]
    x: Annotated[int, Ge(0)] = 0
    y: Annotated[int, Ge(0)] = 0
    width: Annotated[int, Ge(0), Le(16_000)] = 0
    height: Annotated[int, Ge(0), Le(16_000)] = 0
    show: Show = "picture"
    """The picture, the area that sharpening counts as edges, or what the picked key ``key`` reaches, or where the
    pass ``key`` acts (as a film over the picture, or alone in grey), or the light that dust is looked for by."""
    key: Annotated[int, Ge(0), Le(39)] = 0
    gamut: bool = False
    """Mark colours outside the delivery space in the clipping map."""
    raw_histogram: bool = False
    warned: Annotated[int, Ge(-1), Le(2)] = -1
    """Whose ends the clipping map tells: any channel (-1), or red, green or blue alone (0, 1, 2)."""
    box: bool = False
    """The scaled size is a box into which the whole is fitted: the answer says how large it became."""
    plane: tuple[float, float, float, float] | None = None
    """Instead of the finished picture this rectangle (left, top, width, height) of the corrected plane, crop or not."""
    clipping: bool = True
    """Make the map of clipped pixels."""
    quick: bool = False
    """A hand moves: what is counted is counted on some rows, and the picture is coded more coarsely."""
    plain: bool = False
    """Asked from the same machine: while a hand moves a small picture may come as it is, not coded."""
    best: bool = False
    """As a delivery has it: where the recipe asks for the slow noise reduction that is worked out, which takes seconds."""
    around: bool = False
    """Instead of the finished picture the plane with all of the picture and the crop, and a little room."""

    def checked(self, framed: Framed) -> "ViewRequest":
        """Window kept inside the picture; raises :class:`RecipeError` for sizes that make no sense."""
        w, h = self.scaled_width, self.scaled_height
        if self.box:
            w, h = fitted(framed, max(w, 1), max(h, 1))
        w, h = min(max(w, 1), framed.width), min(max(h, 1), framed.height)
        x, y = min(max(self.x, 0), w - 1), min(max(self.y, 0), h - 1)
        width, height = min(self.width or w, w - x), min(self.height or h, h - y)
        if width < 1 or height < 1 or width * height > 40_000_000:
            raise RecipeError("The view asked for has no size or is larger than 40 megapixels.")
        return replace(self, scaled_width=w, scaled_height=h, x=x, y=y, width=width, height=height)

    @property
    def window(self) -> Window:
        """As the stages have it."""
        return Window(self.scaled_width, self.scaled_height, self.x, self.y, self.width, self.height)


@dataclass(frozen=True)
class View:
    """A rendered window with its measurements."""

    request: ViewRequest
    picture: NDArray[np.uint8]
    clipping: NDArray[np.uint8]
    clipped: tuple[float, float, float]
    """Shares 0..1 of the window: delivered highlights, shadows, raw."""
    histogram: NDArray[np.int64]
    render_ms: float
    framed: Framed
    """The finished picture's frame stage, whatever part of the plane was shown."""
    channels: NDArray[np.float64] = field(default_factory=lambda: np.zeros((3, 3)))
    """Shares 0..1 of each channel: delivered at the top, delivered at zero, sensor full (rows) by R, G, B (columns)."""
    raw_histogram: NDArray[np.int64] | None = None
    outside_gamut: float = 0.0
    hot_pixels: int | None = None
    """How many sites of the file were replaced; None when that is off."""


def fitted(whole: Sized, box_width: int, box_height: int) -> tuple[int, int]:
    """Size of the whole picture inside a box, never enlarged."""
    scale = min(box_width / whole.width, box_height / whole.height, 1.0)
    return max(round(whole.width * scale), 1), max(round(whole.height * scale), 1)
