"""Where a picture lies on the whole equirectangular view about its camera: what viewers that one looks round in go by.

XMP properties of the namespace "http://ns.google.com/photos/1.0/panorama/" (Photo Sphere XMP metadata, an open description that
many programs read and write; names and meaning from memory).
"""

from collections.abc import Mapping
from contextlib import suppress
from typing import Any

GPANO = "{http://ns.google.com/photos/1.0/panorama/}"
LARGEST = 1_000_000

Sphere = tuple[int, ...]
"""Width and height of the whole view, left and top of the picture in it, width and height of the picture, all in its pixels;
empty for pictures that are no such view."""
_NAMES = (
    "FullPanoWidthPixels", "FullPanoHeightPixels", "CroppedAreaLeftPixels", "CroppedAreaTopPixels",
    "CroppedAreaImageWidthPixels", "CroppedAreaImageHeightPixels",
)  # fmt: skip


def of_properties(properties: Mapping[str, Any]) -> Sphere:
    """From the properties of an XMP packet; empty where they are missing or make no sense."""
    if str(properties.get(f"{GPANO}ProjectionType", "")).strip().lower() != "equirectangular":
        return ()
    found: list[int] = []
    with suppress(ValueError, OverflowError):
        found = [round(float(str(properties.get(f"{GPANO}{name}", "")))) for name in _NAMES]
    if len(found) != len(_NAMES):
        return ()
    full_width, full_height, left, top, width, height = found
    inside = min(left, top) >= 0 and left + width <= full_width and top + height <= full_height
    return tuple(found) if inside and width > 0 and height > 0 and max(found) <= LARGEST else ()


def as_properties(sphere: Sphere) -> dict[str, str]:
    """For an XMP packet."""
    if not sphere:
        return {}
    numbers = {f"{GPANO}{name}": str(value) for name, value in zip(_NAMES, sphere, strict=True)}
    return {f"{GPANO}ProjectionType": "equirectangular", f"{GPANO}UsePanoramaViewer": "True", **numbers}


def part_of(sphere: Sphere, left: float, top: float, width: float, height: float, size: tuple[int, int]) -> Sphere:
    """Of a rectangle of the picture (in its pixels), delivered at a size (width, height)."""
    across, down = size[0] / width, size[1] / height
    x, y = round((sphere[2] + left) * across), round((sphere[3] + top) * down)
    full_width, full_height = round(sphere[0] * across), round(sphere[1] * down)
    return max(full_width, x + size[0]), max(full_height, y + size[1]), x, y, *size
