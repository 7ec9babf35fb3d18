"""What is known of the lens of a file: which profile fits, and its focal length in pixels."""

import math
from dataclasses import dataclass

from zincplate.formats.capture import CaptureData
from zincplate.formats.lens_profiles import LensDatabase, Match

ASSUMED_MM = 35.0
"""Focal length on 36 x 24 mm where the file does not tell: between a phone's and a normal lens."""
DIAGONAL_MM = math.hypot(36, 24)


@dataclass(frozen=True)
class Shape:
    """What framing needs to know of a source: its upright size and its capture data."""

    width: int
    height: int
    capture: CaptureData


def focal_of(shape: Shape, lenses: LensDatabase) -> tuple[float, bool]:
    """Focal length in pixels, and whether the file (and what is known of its camera) tells it."""
    capture = shape.capture
    diagonal = math.hypot(shape.width, shape.height)
    if capture.focal_length_35mm > 0:
        return capture.focal_length_35mm / DIAGONAL_MM * diagonal, True
    if capture.focal_length_mm > 0:
        crop_factor = match_of(shape, lenses).crop_factor
        if crop_factor > 0:
            return capture.focal_length_mm * crop_factor / DIAGONAL_MM * diagonal, True
    return ASSUMED_MM / DIAGONAL_MM * diagonal, False


def match_of(shape: Shape, lenses: LensDatabase) -> Match:
    """What the lens data have for a file."""
    c = shape.capture
    return lenses.match(c.camera_make, c.camera_model, c.lens, c.focal_length_mm)


def fitting_profile(shape: Shape, lenses: LensDatabase) -> str:
    """Id of the profile whose lens the file names for certain; empty when there is none."""
    certain = match_of(shape, lenses).certain
    return certain.id if certain is not None else ""
