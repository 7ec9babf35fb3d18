"""From a file to delivered bytes without database or server: what the command line and the delivery job share."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from zincplate.core.colour.colour_spaces import SPACES
from zincplate.formats.capture import CaptureData
from zincplate.formats.encode import FORMATS, encode
from zincplate.formats.sphere import Sphere, part_of
from zincplate.pipeline.framing import framing
from zincplate.pipeline.lens_of import Shape
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.sources.file import Source


class DeliveryError(RecipeError):
    """A way of delivering that makes no sense; ``setting`` is the field that is to blame."""

    def __init__(self, setting: str, sentence: str) -> None:
        super().__init__(sentence)
        self.setting = setting


@dataclass(frozen=True)
class Delivery:
    """How a finished picture is to be written."""

    file_format: str = "jpeg"
    space: str = "srgb"
    bits: int = 8
    long_edge: int | None = None
    quality: int = 92
    location: bool = True
    """Whether the file tells where the picture was taken."""

    def checked(self) -> "Delivery":
        """Self, after the combinations that make no sense were refused with :class:`DeliveryError`."""
        if self.file_format not in FORMATS:
            raise DeliveryError("file_format", f'There is no file format "{self.file_format}"; there are {", ".join(FORMATS)}.')
        if self.space not in SPACES:
            raise DeliveryError("space", f'There is no colour space "{self.space}"; there are {", ".join(SPACES)}.')
        if self.bits not in (8, 16):
            raise DeliveryError("bits", "A delivery has 8 or 16 bits per channel.")
        kind = FORMATS[self.file_format]
        if self.bits not in kind.bits:
            others = " or ".join(other.words for other in FORMATS.values() if self.bits in other.bits)
            raise DeliveryError("bits", f"{kind.words} holds {kind.bits[0]} bits per channel; choose {others} for {self.bits}.")
        if self.long_edge is not None and not 16 <= self.long_edge <= 100_000:
            raise DeliveryError("long_edge", "The long edge needs to be between 16 and 100,000 pixels.")
        if not 1 <= self.quality <= 100:
            raise DeliveryError("quality", "Quality runs from 1 to 100.")
        return self


def format_of(path: Path) -> str:
    """File format by the ending of an output name; raises :class:`RecipeError`."""
    endings = {ending: kind.name for kind in FORMATS.values() for ending in kind.endings}
    try:
        return endings[path.suffix.lower()]
    except KeyError:
        raise RecipeError(f"{path.name}: the ending says no format that can be written; use {', '.join(endings)}.") from None


def develop(
    renderer: Renderer,
    source: Source,
    recipe: Recipe,
    delivery: Delivery,
    progress: Callable[[float], bool] | None = None,
    changed_at: str = "",
    capture: CaptureData | None = None,
) -> tuple[bytes, tuple[int, int]]:
    """Encoded bytes of the finished picture, and its (width, height). ``changed_at``: when the recipe was changed
    last (ISO 8601). ``capture``: what the file is to say of itself, instead of what its original says."""
    d = delivery.checked()
    picture = renderer.deliver(source, recipe, space=d.space, bits=d.bits, long_edge=d.long_edge, progress=progress)
    height, width = picture.shape[:2]
    capture = source.capture if capture is None else capture
    capture = capture if d.location else capture.without_location()
    if capture.sphere:
        capture = replace(capture, sphere=_sphere(renderer, source, recipe, capture.sphere, (width, height)))
    return encode(picture, d.file_format, d.space, capture, d.quality, changed_at), (width, height)


def _sphere(renderer: Renderer, source: Source, recipe: Recipe, sphere: Sphere, size: tuple[int, int]) -> Sphere:
    """Where a delivery lies on the whole view that its original is part of; empty where it is no upright part of it any more."""
    plan = source.plan(recipe)
    if sphere[4:] != (source.width, source.height) or source.orientation != 1:
        return ()
    if plan.frame.quarter_turns or plan.frame.mirror or plan.finish.border_share:
        return ()
    framed = framing(Shape(source.width, source.height, source.capture), plan.frame, renderer.lenses)
    if not framed.direct:
        return ()
    left, top = framed.left + framed.map.width / 2, framed.top + framed.map.height / 2
    return part_of(sphere, left, top, framed.width, framed.height, size)
