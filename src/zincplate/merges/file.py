"""What all masters have in common: the file with its report, and how it is shown before it is developed."""

from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.colour_spaces import REC2020
from zincplate.core.kernels.light import to_8_bit
from zincplate.formats.decoded import CameraColour
from zincplate.recipe.document import Recipe
from zincplate.sources.file import Source
from zincplate.tables.light_plan import tables_of

Float32 = NDArray[np.float32]

PREVIEW_PX = 1600


CLIPPED_FROM = 0.94


@dataclass(frozen=True)
class Master:
    """A merged file, and what was done."""

    dng: bytes
    report: dict[str, Any]
    reference: int
    """The frame whose marks and description it takes over."""


def colour_as_master(source: Source, lighter_ev: float) -> CameraColour:
    """A source's colour with the stops by which the master is to be shown lighter. A finished picture's primaries stand as those
    of a camera that sees by them."""
    if source.camera is not None:
        return replace(source.camera, baseline_exposure_ev=source.camera.baseline_exposure_ev + lighter_ev)
    to_xyz = REC2020.to_xyz @ np.reshape(source.to_working, (3, 3))
    matrix = tuple(float(v) for v in np.linalg.inv(to_xyz).ravel())
    return CameraColour(CameraMatrices.plain(matrix, 6504.0), (1.0, 1.0, 1.0), lighter_ev)


def reduced_rows(planes: Float32, by: int) -> Float32:
    """Means of blocks; what does not fill a block at the right or below is left out (strips are whole numbers of blocks)."""
    rows, columns = planes.shape[1] // by * by, planes.shape[2] // by * by
    if not rows or not columns:
        return np.zeros((3, rows // by, columns // by), np.float32)
    size = columns // by, rows // by
    return np.stack([cv2.resize(plane[:rows, :columns], size, interpolation=cv2.INTER_AREA) for plane in planes])


def shown(camera_values: Float32, colour: CameraColour) -> NDArray[np.uint8]:
    """(h, w, 3) as the master is shown before it is developed; ``camera_values`` (3, h, w) are clipped at 1. A clipped channel is
    as bright as the others at least, and what is clipped in all of them is white: else green ends first, and lights are pink."""
    balanced = camera_values / np.asarray(colour.as_shot_neutral, np.float32)[:, None, None]
    clipped = np.clip((camera_values - CLIPPED_FROM) / (1 - CLIPPED_FROM), 0, 1)
    least = np.stack([np.minimum(balanced[k - 2], balanced[k - 1]) for k in range(3)])
    balanced += clipped * np.maximum(least - balanced, 0)
    balanced += clipped.min(0) * (balanced.max(0) - balanced)
    tables = tables_of(
        Recipe.neutral(raw=True),
        matrices=colour.matrices,
        as_shot_neutral=colour.as_shot_neutral,
        as_shot_xy=colour.matrices.white_of(colour.as_shot_neutral),
        baseline_gain=2.0**colour.baseline_exposure_ev,
        space="srgb",
    )
    out = np.empty((*balanced.shape[1:], 3), np.uint8)
    to_8_bit(np.ascontiguousarray(balanced), tables, 0, 0, out)
    return out
