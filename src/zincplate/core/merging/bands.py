"""Blending frames over several bands of detail: coarse detail over a wide seam, fine detail over a narrow one (Burt & Adelson, "A
multiresolution spline with application to image mosaics", ACM Transactions on Graphics 2, 1983).

Coarse bands are worked on a small picture of the whole view, fine ones on parts of it at full size: a frame's fine part is what
its small picture, enlarged, does not show. Where frames agree the sum is what they show, exactly.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Mask = NDArray[np.bool_]

LEVELS = 5
LEAST = 1e-4


@dataclass(frozen=True)
class Piece:
    """A frame laid on the small picture: planes (3, h, w), where they are to be had (h, w), and the box's left upper corner."""

    planes: Float32
    shown: Mask
    x: int
    y: int


def _down(plane: Float32) -> Float32:
    return np.asarray(cv2.pyrDown(plane), np.float32)


def _up(plane: Float32, size: tuple[int, int]) -> Float32:
    return np.asarray(cv2.pyrUp(plane, dstsize=(size[1], size[0])), np.float32)


def _known(planes: Float32, weight: Float32) -> tuple[Float32, Float32]:
    """One level down, of what is known only: means by weight, and the weight."""
    below = _down(weight)
    sums = np.stack([_down(p * weight) for p in planes])
    return np.asarray(sums / np.maximum(below, LEAST), np.float32), below


def _filled(planes: Float32, weight: Float32) -> Float32:
    """Planes with what is not known drawn in from coarser levels, so that pyramids see no edge there."""
    if min(weight.shape) <= 4 or float(weight.min()) > 0.5:
        return planes
    below, count = _known(planes, weight)
    below = _filled(below, np.minimum(count * 4, 1).astype(np.float32))
    back = np.stack([_up(p, (weight.shape[0], weight.shape[1])) for p in below])
    return np.asarray(planes * weight + back * (1 - weight), np.float32)


def blended(pieces: Sequence[Piece], labels: NDArray[np.int16], levels: int = LEVELS) -> Float32:
    """(3, h, w) of the small picture: each place as its label's piece shows it, blended over its seams. 0 where no label is."""
    unit = 2**levels
    h, w = labels.shape
    rows, columns = -(-h // unit) * unit, -(-w // unit) * unit
    sums = [np.zeros((3, rows >> k, columns >> k), np.float32) for k in range(levels + 1)]
    counts = [np.zeros((rows >> k, columns >> k), np.float32) for k in range(levels + 1)]
    for i, piece in enumerate(pieces):
        ph, pw = piece.shown.shape
        x0, y0 = max(piece.x // unit - 1, 0) * unit, max(piece.y // unit - 1, 0) * unit
        x1, y1 = (
            min(-(-(piece.x + pw) // unit) + 1, columns // unit) * unit,
            min(-(-(piece.y + ph) // unit) + 1, rows // unit) * unit,
        )
        known = np.zeros((y1 - y0, x1 - x0), np.float32)
        planes = np.zeros((3, y1 - y0, x1 - x0), np.float32)
        inside = (slice(piece.y - y0, piece.y - y0 + ph), slice(piece.x - x0, piece.x - x0 + pw))
        known[inside] = piece.shown
        planes[:, inside[0], inside[1]] = np.where(piece.shown, piece.planes, 0)
        planes = _filled(planes, known)
        weight = np.zeros((y1 - y0, x1 - x0), np.float32)
        part = labels[y0:y1, x0:x1] == i
        weight[: part.shape[0], : part.shape[1]] = part
        _add(planes, weight, levels, x0, y0, sums, counts)
    total = sums[-1] / np.maximum(counts[-1], LEAST)
    for k in range(levels - 1, -1, -1):
        size = (rows >> k, columns >> k)
        total = np.stack([_up(p, size) for p in total]) + sums[k] / np.maximum(counts[k], LEAST)
    return np.where(labels >= 0, total[:, :h, :w], np.float32(0)).astype(np.float32)


def _add(planes: Float32, weight: Float32, levels: int, x0: int, y0: int, sums: list[Float32], counts: list[Float32]) -> None:
    for k in range(levels + 1):
        size = weight.shape
        if k < levels:
            below = np.stack([_down(p) for p in planes])
            band = planes - np.stack([_up(p, size) for p in below])
        else:
            below, band = planes, planes
        at = (slice(y0 >> k, (y0 >> k) + size[0]), slice(x0 >> k, (x0 >> k) + size[1]))
        sums[k][:, at[0], at[1]] += band * weight
        counts[k][at] += weight
        if k < levels:
            planes, weight = below, _down(weight)


def fine_bands(planes: Float32, levels: int) -> list[Float32]:
    """Planes (3, h, w) at full size as bands of growing coarseness that sum up to them: differences of Gaussians."""
    out, fine = [], planes
    for k in range(levels):
        coarse = np.stack([cv2.GaussianBlur(p, (0, 0), 0.8 * 2**k) for p in fine])
        out.append(fine - coarse)
        fine = coarse
    return [*out, fine]


def fine_weights(weight: Float32, levels: int) -> list[Float32]:
    """The same for a weight (h, w), 0 to 1: the coarser the band, the softer."""
    out = [weight]
    for k in range(levels):
        out.append(np.asarray(cv2.GaussianBlur(out[-1], (0, 0), 0.8 * 2 ** (k + 1)), np.float32))
    return out
