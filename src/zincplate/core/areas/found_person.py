"""People, by two small learned networks: one says where bodies are, the other which pixels belong to them.

Bodies: the detector of BlazePose (Bazarevsky et al., "BlazePose: On-device Real-time Body Pose tracking", 2020), pixels: the
selfie segmentation of MediaPipe; both are under the Apache licence 2.0 (models/README). The detector looks at the whole
picture and at parts of it, for people who are small; a body counts when the detector is sure of it and the pixels are nearly
the same when it is cut out a little differently. The outline is as fine as the network has it (1/256 of a body); the edges of
the picture are followed later.
"""

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.areas.networks import anchors, chance, run, square, squares

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

PLACES_SIZE, PIXELS_SIZE = 224, 256
CELLS = ((8, 2), (16, 2), (32, 6))
"""Strides of the detector's cells, and how many bodies each may hold."""
CERTAIN, POSSIBLE = 0.88, 0.74
"""Chances at which a body is taken by itself, and from which on its outline is asked."""
STEADY = 0.82
"""Overlap (intersection over union) of outlines cut out differently from which on a possible body is one."""
CLOSE = 1.2
"""Of the picture's long edge: a body that is larger is one of which only a part is seen."""
SAME_BODY = 0.5
"""Of a body's radius: middles nearer than this are one body."""


@dataclass(frozen=True)
class Body:
    """Where a body is: middle between the hips, radius of a circle about all of it, in pixels."""

    chance: float
    x: float
    y: float
    radius: float


@cache
def _anchors() -> Float64:
    return anchors(PLACES_SIZE, CELLS)


def bodies(srgb: Float32) -> list[Body]:
    """Bodies in a picture (h, w, 3), sRGB 0..1, the surest first; one for each place."""
    found = []
    for x0, y0, side in squares(*srgb.shape[:2]):
        by_size = sorted(run("person_places.tflite", 2 * square(srgb, x0, y0, side, PLACES_SIZE) - 1), key=lambda v: v.shape[-1])
        best = int(by_size[0].argmax())
        sure = float(chance(by_size[0].ravel()[best : best + 1])[0])
        if sure < POSSIBLE:
            continue
        points = (by_size[1][best, 4:8].reshape(2, 2) / PLACES_SIZE + _anchors()[best]) * side + [x0, y0]
        radius = float(np.hypot(*(points[1] - points[0])))
        if radius > 0.05 * side:
            found.append(Body(sure, float(points[0, 0]), float(points[0, 1]), radius))
    kept: list[Body] = []
    for body in sorted(found, key=lambda b: -b.chance):
        if all(np.hypot(body.x - k.x, body.y - k.y) > SAME_BODY * max(body.radius, k.radius) for k in kept):
            kept.append(body)
    return kept


def _pixels(srgb: Float32, x0: float, y0: float, side: float, mirrored: bool) -> Float32:
    """(h, w) which pixels of a square are a person's, back in the picture; 0 outside."""
    cut_out = square(srgb, x0, y0, side, PIXELS_SIZE)
    mask = run("person.tflite", cut_out[:, ::-1] if mirrored else cut_out)[0][..., 0]
    mask = mask[:, ::-1] if mirrored else mask
    scale = PIXELS_SIZE / side
    matrix = np.array([[scale, 0, -x0 * scale], [0, scale, -y0 * scale]])
    how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    # the inverse map wants places of the square for places of the picture
    seen = cv2.warpAffine(np.ascontiguousarray(mask), matrix, (srgb.shape[1], srgb.shape[0]), flags=how, borderValue=0)
    return np.asarray(seen, np.float32)


def outline(srgb: Float32, body: Body) -> tuple[Float32, float]:
    """Which pixels are a body's (h, w), and how steady that is (0..1) when it is cut out differently."""
    height, width = srgb.shape[:2]
    long = max(height, width)
    if 2 * body.radius > CLOSE * long:
        # head and shoulders: the hips lie outside, and the picture is what there is of the body
        body = Body(body.chance, width / 2, height / 2, long / 2)
    seen = []
    for reach, mirrored, aside in ((1.15, False, 0.0), (1.35, True, 0.06), (1.0, False, -0.06)):
        side = 2 * reach * body.radius
        seen.append(_pixels(srgb, body.x + aside * side - side / 2, body.y - side / 2, side, mirrored))
    mean = np.mean(seen, axis=0)
    solid = [s > 0.5 for s in seen]
    overlaps = [float((a & b).sum()) / max(float((a | b).sum()), 1.0) for a, b in ((solid[0], solid[1]), (solid[0], solid[2]))]
    return np.asarray(mean, np.float32), min(overlaps)


def find_people(srgb: Float32) -> tuple[Float32, float] | None:
    """Which pixels (h, w) of a picture (h, w, 3), sRGB 0..1, are people's, and how sure that is (0..1); None when there are
    none."""
    area, sure = np.zeros(srgb.shape[:2], np.float32), 0.0
    for body in bodies(srgb):
        mask, steady = outline(srgb, body)
        if body.chance < CERTAIN and steady < STEADY:
            continue
        area = np.maximum(area, mask)
        sure = max(sure, body.chance)
    return (area, sure) if sure and float(area.mean()) > 2e-4 else None
