"""Rectangles of whole pixels."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Rect:
    """Pixels of the upright source."""

    x: int
    y: int
    w: int
    h: int

    @property
    def right(self) -> int:
        """First column beyond."""
        return self.x + self.w

    @property
    def bottom(self) -> int:
        """First row below."""
        return self.y + self.h

    @property
    def area(self) -> int:
        """How many pixels."""
        return self.w * self.h

    def grown(self, by: int) -> "Rect":
        """With a margin on all sides."""
        return Rect(self.x - by, self.y - by, self.w + 2 * by, self.h + 2 * by)

    def within(self, other: "Rect") -> "Rect":
        """What of it lies in another; without width or height when nothing does."""
        x, y = max(self.x, other.x), max(self.y, other.y)
        return Rect(x, y, max(min(self.right, other.right) - x, 0), max(min(self.bottom, other.bottom) - y, 0))

    def joined(self, other: "Rect") -> "Rect":
        """The smallest that holds both."""
        x, y = min(self.x, other.x), min(self.y, other.y)
        return Rect(x, y, max(self.right, other.right) - x, max(self.bottom, other.bottom) - y)

    @property
    def empty(self) -> bool:
        """Nothing in it."""
        return self.w <= 0 or self.h <= 0

    def of(self, outer: "Rect") -> tuple[slice, slice]:
        """Rows and columns of this one in arrays of an outer one."""
        return slice(self.y - outer.y, self.bottom - outer.y), slice(self.x - outer.x, self.right - outer.x)
