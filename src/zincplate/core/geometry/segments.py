"""Line segments of a picture: found (LSD, Grompone von Gioi et al. 2010, in OpenCV) and joined where they are one edge.

A segment's direction is known the better the longer it is: its ends are placed within a part of a pixel, so the error of the
angle falls with the length. An edge that a mullion, a shadow or noise has cut comes as pieces; joined again it says far more
than its pieces do.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]

SHORTEST = 0.018
"""Of the long edge: shorter segments are texture."""
JOINS_DEGREES = 0.9
"""Most that two pieces of one edge differ in direction."""
JOINS_PX = 1.3
"""Most that the ends of one piece lie beside the line of the other."""
LARGEST_GAP = 1.5
"""Between two pieces, in lengths of the longer one."""


def segments_of(grey: NDArray[np.uint8]) -> Float64:
    """(n, 2, 2) ends of line segments of a picture, in its pixels (0..width, 0..height)."""
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_ADV).detect(grey)[0]
    if found is None:
        return np.zeros((0, 2, 2))
    lines = np.asarray(found, np.float64).reshape(-1, 2, 2) + 0.5
    height, width = grey.shape
    lengths = np.hypot(*(lines[:, 1] - lines[:, 0]).T)
    # pieces half as long as what counts may still belong to a long edge
    lines = joined(lines[lengths > 0.5 * SHORTEST * max(width, height)])
    lengths = np.hypot(*(lines[:, 1] - lines[:, 0]).T)
    edge = 3
    low, high = lines.min(1), lines.max(1)
    # a line along the edge of the picture is the edge itself
    border = (high[:, 0] < edge) | (high[:, 1] < edge) | (low[:, 0] > width - edge) | (low[:, 1] > height - edge)
    return lines[(lengths > SHORTEST * max(width, height)) & ~border]


def joined(lines: Float64) -> Float64:
    """Pieces of one edge made one segment, the longest first; (n, 2, 2) -> (m, 2, 2), m <= n.

    LSD's segments have a side (dark to the left); two sides of one bar are two edges and are not joined.
    """
    angles = np.degrees(np.arctan2(lines[:, 1, 1] - lines[:, 0, 1], lines[:, 1, 0] - lines[:, 0, 0]))
    order = np.argsort(angles, kind="stable")
    lines, angles = lines[order], angles[order]
    # once more beyond either end, so that a window of directions is one stretch of the list
    round_trip = np.concatenate([angles - 360, angles, angles + 360])
    count = len(lines)
    free = np.ones(count, bool)
    result = []
    for i in np.argsort(-np.hypot(*(lines[:, 1] - lines[:, 0]).T), kind="stable"):
        if not free[i]:
            continue
        free[i] = False
        group, base = [lines[i]], lines[i]
        while True:
            angle = np.degrees(np.arctan2(base[1, 1] - base[0, 1], base[1, 0] - base[0, 0]))
            low, high = np.searchsorted(round_trip, (angle - JOINS_DEGREES, angle + JOINS_DEGREES))
            near = np.arange(low, high) % count
            near = near[free[near]]
            fits = near[_continues(base, lines[near])]
            if len(fits) == 0:
                break
            group += list(lines[fits])
            free[fits] = False
            base = _through(np.array(group))
        result.append(base)
    return np.array(result).reshape(-1, 2, 2)


def _continues(base: Float64, lines: Float64) -> NDArray[np.bool_]:
    """Which segments of about the same direction lie on the base's line, not too far away."""
    along = base[1] - base[0]
    length = float(np.hypot(*along))
    along = along / max(length, 1e-9)
    across = np.array([-along[1], along[0]])
    beside = np.abs((lines - base[0]) @ across).max(1)
    places = (lines - base[0]) @ along
    gap = np.maximum(places.min(1) - length, -places.max(1))
    longest = np.maximum(length, np.hypot(*(lines[:, 1] - lines[:, 0]).T))
    return np.asarray((beside < JOINS_PX) & (gap < LARGEST_GAP * longest))


def _through(group: Float64) -> Float64:
    """One segment through several (k, 2, 2): total least squares on their ends, each as heavy as its piece is long."""
    ends = group.reshape(-1, 2)
    weights = np.repeat(np.hypot(*(group[:, 1] - group[:, 0]).T), 2)
    middle = np.average(ends, axis=0, weights=weights)
    away = (ends - middle) * np.sqrt(weights)[:, None]
    along = np.linalg.svd(away, full_matrices=False)[2][0]
    along = along * np.sign(along @ (group[0, 1] - group[0, 0]))
    places = (ends - middle) @ along
    return np.stack([middle + along * places.min(), middle + along * places.max()])
