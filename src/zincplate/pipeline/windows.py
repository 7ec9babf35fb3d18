"""Parts of a picture at a size: what stages, views and strips hand to each other."""

import math
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zincplate.core.kernels.numbers import ViewNumbers, view_numbers


class Sized(Protocol):
    """Something with a full size in pixels."""

    @property
    def width(self) -> int: ...

    @property
    def height(self) -> int: ...


@dataclass(frozen=True)
class Window:
    """A part of the picture scaled to ``full_width`` x ``full_height``.

    With a span, the whole is not the source's but its part from (``left``, ``top``) on, ``span_x`` x ``span_y`` source pixels.
    """

    full_width: int
    full_height: int
    x: int
    y: int
    width: int
    height: int
    left: float = 0.0
    top: float = 0.0
    span_x: float = 0.0
    span_y: float = 0.0

    def grown(self, margin: int) -> "Window":
        """With context on every side, as far as the picture goes."""
        x, y = max(self.x - margin, 0), max(self.y - margin, 0)
        right, bottom = min(self.x + self.width + margin, self.full_width), min(self.y + self.height + margin, self.full_height)
        return replace(self, x=x, y=y, width=right - x, height=bottom - y)

    def inside(self, outer: "Window") -> tuple[slice, slice]:
        """Rows and columns of this window in an outer one's planes."""
        top, left = self.y - outer.y, self.x - outer.x
        return slice(top, top + self.height), slice(left, left + self.width)

    def part(self, rows: slice, columns: slice) -> "Window":
        """Some of its rows and columns."""
        width, height = columns.stop - columns.start, rows.stop - rows.start
        return replace(self, x=self.x + columns.start, y=self.y + rows.start, width=width, height=height)

    @property
    def within(self) -> bool:
        """Whether no part of it lies beyond the picture, as far as it says of which picture it is a part."""
        return bool(self.span_x) or self.grown(0) == self

    def in_whole(self, source: Sized) -> tuple[float, float, float, float]:
        """Size of the whole source at this window's scale, and where the window begins in it."""
        span_x, span_y = self.span(source)
        scale_x, scale_y = self.full_width / span_x, self.full_height / span_y
        return (
            source.width * scale_x,
            source.height * scale_y,
            self.x + self.left * scale_x,
            self.y + self.top * scale_y,
        )

    def numbers(self, weights: NDArray[np.float64], exposure_ev: float) -> ViewNumbers:
        """As kernels of local light take them: with ``weights`` (3,) of luminance on the planes, and what exposes these."""
        return view_numbers(self.full_width, self.full_height, weights, exposure_ev)

    def span(self, source: Sized) -> tuple[float, float]:
        """Source pixels that the full size stands for."""
        return self.span_x or float(source.width), self.span_y or float(source.height)


def fitted_size(width: int, height: int, long_edge: int) -> tuple[int, int]:
    """Size of the whole at a long edge, never enlarged."""
    scale = min(long_edge / max(width, height), 1.0)
    return max(round(width * scale), 1), max(round(height * scale), 1)


def small_whole(source: Sized, long_edge: int) -> Window:
    """All of a source on a small picture of a long edge."""
    width, height = fitted_size(source.width, source.height, long_edge)
    return Window(width, height, 0, 0, width, height)


def level_of(whole: Sized, window: Window) -> int:
    """Of which reduced plate a window is read: pixels averaged (even), or 0 for the source at full size."""
    span_x, span_y = window.span(whole)
    return int(min(span_x / window.full_width, span_y / window.full_height)) // 2 * 2


def scale_of(whole: Sized, window: Window) -> float:
    """Size of a window's picture relative to full size."""
    span_x, span_y = window.span(whole)
    return min(math.sqrt(window.full_width * window.full_height / (span_x * span_y)), 1.0)
