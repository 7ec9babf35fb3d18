"""Faces, and the skin that goes with them.

Faces: a detector (Bazarevsky et al., "BlazeFace: Sub-millisecond neural face detection on mobile GPUs", 2019) says where
one may be, a second network lays 468 points on it (Kartynnik et al., "Real-time facial surface geometry from monocular
video on mobile GPUs", 2019) and says whether it is one. Both come from MediaPipe (models/README). Neither is believed alone: the
detector takes skylights for faces now and then, of which the second network says 0.00.

Skin has no colour of its own: it is what has the colours of this face's cheeks, forehead, nose and chin, in the light that
falls here, on this person and near this face. Eyes, brows and lips are left out.
"""

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.areas.found_person import find_people
from zincplate.core.areas.networks import anchors, chance, cut, run, square, squares

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

PLACES_SIZE, POINTS_SIZE = 192, 192
CELLS = ((4, 1),)
POSSIBLE, BELIEVED, SURE = 0.5, 0.15, 0.8
"""The detector's chance from which on a place is looked at; what the points' network says of it at first, and of the face cut out
again by its own points, from which on it is a face."""
AROUND = 1.5
"""Side of what the points' network sees, in sides of the face's box."""
LEAST_FACE_PX = 8.0
EYES = 33, 263
"""Outer corners of the right and the left eye."""
# outlines of points, in order round the face
OVAL = (
    10, 109, 67, 103, 54, 21, 162, 127, 234, 93, 132, 58, 172, 136, 150, 149, 176, 148,
    152, 377, 400, 378, 379, 365, 397, 288, 361, 323, 454, 356, 389, 251, 284, 332, 297, 338,
)  # fmt: skip
RIGHT_EYE = 33, 246, 161, 160, 159, 158, 157, 173, 133, 155, 154, 153, 145, 144, 163, 7
LEFT_EYE = 249, 390, 373, 374, 380, 381, 382, 362, 398, 384, 385, 386, 387, 388, 466, 263
LIPS = 61, 185, 40, 39, 37, 0, 267, 269, 270, 409, 291, 375, 321, 405, 314, 17, 84, 181, 91, 146
RIGHT_BROW = 46, 53, 52, 65, 55, 107, 66, 105, 63, 70
LEFT_BROW = 276, 283, 282, 295, 285, 336, 296, 334, 293, 300
NO_SKIN = (RIGHT_EYE, LEFT_EYE, LIPS, RIGHT_BROW, LEFT_BROW)
REACH_FACES = 3.0
"""Widths of a face from its middle within which skin is looked for where no body was found."""
COLOUR_SPREAD, LIGHT_SPREAD = 0.012, 0.06
"""Added to the deviation of a face's colours (Oklab's a and b by lightness, which shade leaves alone), and of its lightness."""
FARTHEST, IN_FACE = 2.4, 1.8
"""Deviations at which half of it counts as skin, and how many times as many inside the face."""
EDGE = 0.03
"""Oklab lightness a pixel at which another thing may begin."""
SCALP = 0.12
"""Widths of a face beyond its outline, above the eyes, up to which skin is looked for in full; nothing beyond twice that."""
BUSIER = 0.5
"""Octaves by which drawing may be busier than on the face; twice that is no skin."""


@dataclass(frozen=True)
class Face:
    """One face: how sure (0..1), and its points (468, 2) in pixels of the picture."""

    sure: float
    points: Float64

    @property
    def width_px(self) -> float:
        """From side to side of its outline."""
        return float(np.hypot(*(self.points[454] - self.points[234])))

    @property
    def middle(self) -> Float64:
        """Of its outline (2,)."""
        return np.asarray(self.points[list(OVAL)].mean(0))


@cache
def _anchors() -> Float64:
    return anchors(PLACES_SIZE, CELLS)


def _points(srgb: Float32, middle: Float64, side: float, turned: float) -> tuple[float, Float64]:
    """How sure it is that a face is there, and its points, by a look at a turned square about it."""
    scale = POINTS_SIZE / (AROUND * side)
    c, s = np.cos(turned) * scale, np.sin(turned) * scale
    turn = np.array([[c, s], [-s, c]])
    matrix = np.concatenate([turn, (POINTS_SIZE / 2 - turn @ middle)[:, None]], 1)
    found = {v.size: v for v in run("face_points.tflite", cut(srgb, matrix, POINTS_SIZE))}
    back = cv2.invertAffineTransform(matrix)
    points = found[1404].reshape(468, 3)[:, :2].astype(np.float64) @ back[:, :2].T + back[:, 2]
    return float(chance(found[1].ravel())[0]), points


def _candidates(srgb: Float32) -> list[tuple[float, Float64, float, float]]:
    """Chance, middle, side and angle of places that may be faces, the surest first; one for each place."""
    found = []
    for x0, y0, side in squares(*srgb.shape[:2]):
        by_size = {v.shape[-1]: v for v in run("face_places.tflite", 2 * square(srgb, x0, y0, side, PLACES_SIZE) - 1)}
        sure = chance(by_size[1].ravel())
        for k in np.nonzero(sure > POSSIBLE)[0]:
            box = by_size[16][k].astype(np.float64) / PLACES_SIZE
            middle = (box[:2] + _anchors()[k]) * side + [x0, y0]
            across = box[6:8] - box[4:6]
            found.append((float(sure[k]), middle, float(box[2]) * side, float(np.arctan2(across[1], across[0]))))
    kept: list[tuple[float, Float64, float, float]] = []
    for one in sorted(found, key=lambda f: -f[0]):
        if one[2] >= LEAST_FACE_PX and all(np.hypot(*(one[1] - k[1])) > 0.5 * max(one[2], k[2]) for k in kept):
            kept.append(one)
    return kept


def faces(srgb: Float32) -> list[Face]:
    """Faces in a picture (h, w, 3), sRGB 0..1, the surest first."""
    found: list[Face] = []
    for _, middle, side, turned in _candidates(srgb):
        first, points = _points(srgb, middle, side, turned)
        if first < BELIEVED:
            continue
        low, high = points.min(0), points.max(0)
        across = points[EYES[1]] - points[EYES[0]]
        sure, points = _points(srgb, (low + high) / 2, float((high - low).max()), float(np.arctan2(across[1], across[0])))
        face = Face(sure, points)
        if sure >= SURE and all(np.hypot(*(face.middle - f.middle)) > 0.5 * max(face.width_px, f.width_px) for f in found):
            found.append(face)
    return sorted(found, key=lambda f: -f.sure)


def _filled(shape: tuple[int, ...], outline: Float64, grown_px: float = 0.0) -> Float32:
    """(h, w) what lies within an outline, with soft edges; grown about its middle."""
    middle = outline.mean(0)
    away = outline - middle
    length = np.maximum(np.hypot(*away.T), 1e-6)[:, None]
    places = middle + away * (length + grown_px) / length
    canvas = np.zeros(shape, np.uint8)
    fixed = np.round(places * 16).astype(np.int32)
    cv2.fillPoly(canvas, [fixed.reshape(-1, 1, 2)], 255, cv2.LINE_AA, shift=4)
    return np.asarray(canvas / np.float32(255), np.float32)


def find_faces(srgb: Float32) -> tuple[Float32, float] | None:
    """Which pixels (h, w) of a picture (h, w, 3), sRGB 0..1, are faces', from brow to chin, and how sure that is (0..1)."""
    found = faces(srgb)
    if not found:
        return None
    area = np.zeros(srgb.shape[:2], np.float32)
    for face in found:
        area = np.maximum(area, _filled(area.shape, face.points[list(OVAL)]))
    return area, found[0].sure


def find_skin(srgb: Float32, lab: Float32) -> tuple[Float32, float, float] | None:
    """Which pixels (h, w) of a picture are the skin of people whose face is seen, how sure that is (0..1), and the width of the
    largest face in pixels. ``srgb`` (h, w, 3) 0..1, ``lab`` (3, h, w) Oklab of the same."""
    found = faces(srgb)
    if not found:
        return None
    people = find_people(srgb)
    height, width = srgb.shape[:2]
    area = np.zeros((height, width), np.float32)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    smooth = np.stack([cv2.bilateralFilter(np.ascontiguousarray(p), 5, 0.06, 2.0) for p in lab])
    for face in found:
        oval = _filled(area.shape, face.points[list(OVAL)])
        without = np.zeros_like(area)
        for outline in NO_SKIN:
            without = np.maximum(without, _filled(area.shape, face.points[list(outline)], 0.012 * face.width_px + 0.5))
        inner = (oval > 0.9) & (without < 0.05)
        if inner.sum() < 20:
            continue
        near = np.asarray(np.hypot(x - face.middle[0], y - face.middle[1]) < REACH_FACES * face.width_px, np.float32)
        # where the face's body was found, only on bodies
        on_body = people is not None and float(people[0][inner].mean()) > 0.5
        where = np.clip(2 * _grown(people[0], 0.03 * face.width_px), 0, 1) if people is not None and on_body else near
        away = _away(smooth, inner)
        like = _within(away, FARTHEST) * (1 - without)
        # above the face may be hair that shines like skin: there it has to be smooth, of the very colour, and near
        far = cv2.distanceTransform((oval < 0.5).astype(np.uint8), cv2.DIST_L2, 5) / np.float32(face.width_px)
        hair = _calm(lab[0], inner, face.width_px) * like**3 * np.clip(2 - far / SCALP, 0, 1)
        like *= np.where(_above(face, x, y) & (oval < 0.5), hair, np.float32(1))
        skin = like * where
        # the face itself is skin where its colour is at all likely: a beard is not, a shadow under the nose is
        skin = np.maximum(skin, oval * (1 - without) * _within(away, IN_FACE * FARTHEST))
        area = np.maximum(area, _reached(skin, smooth, inner, people[0] if people is not None and on_body else None))
    if float(area.mean()) < 1e-5:
        return None
    return area, found[0].sure, max(f.width_px for f in found)


def _within(away: Float32, deviations: float) -> Float32:
    return np.asarray(1 / (1 + np.exp(np.clip(3 * (away - deviations), -30, 30))), np.float32)


def _away(lab: Float32, inner: NDArray[np.bool_]) -> Float32:
    """(h, w) deviations by which places differ from the colours of those inside, shade and light of them allowed for."""
    light = np.maximum(lab[0], 0.08)
    lab = np.stack([lab[0], lab[1] / light, lab[2] / light])
    seen = lab[:, inner].astype(np.float64)
    middle = np.median(seen, 1)
    away = np.abs(seen - middle[:, None])
    kept = seen[:, (away <= 3 * np.maximum(1.48 * np.median(away, 1), 0.01)[:, None]).all(0)]
    middle = kept.mean(1)
    spread = np.cov(kept) + np.diag([LIGHT_SPREAD**2, COLOUR_SPREAD**2, COLOUR_SPREAD**2])
    across = np.linalg.cholesky(np.linalg.inv(spread))
    away2 = np.zeros(lab.shape[1:], np.float32)
    shifted = lab - middle[:, None, None].astype(np.float32)
    for k in range(3):
        part = sum(np.float32(across[j, k]) * shifted[j] for j in range(3))
        away2 += part * part
    return np.sqrt(away2)


def _above(face: Face, x: Float32, y: Float32) -> NDArray[np.bool_]:
    """(h, w) what lies on the brow's side of the line through the eyes: bald, or hair."""
    right, left = face.points[EYES[0]], face.points[EYES[1]]
    chin = face.points[152] - (right + left) / 2
    return np.asarray((x - right[0]) * chin[0] + (y - right[1]) * chin[1] < 0)


def _grown(area: Float32, radius_px: float) -> Float32:
    side = 2 * max(round(radius_px), 1) + 1
    return np.asarray(cv2.dilate(area, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))), np.float32)


def _calm(lightness: Float32, inner: NDArray[np.bool_], width_px: float) -> Float32:
    """(h, w) 0..1 how much places are as smooth as the face is; hair of the colour of skin is not."""
    fine = np.abs(lightness - cv2.GaussianBlur(lightness, (0, 0), max(width_px / 60, 0.8)))
    busy = np.log2(cv2.GaussianBlur(fine, (0, 0), max(width_px / 30, 1.2)) + np.float32(0.002))
    usual = float(np.percentile(busy[inner], 70))
    return np.asarray(1 - np.clip((busy - usual - BUSIER) / BUSIER, 0, 1), np.float32)


def _reached(skin: Float32, lab: Float32, inner: NDArray[np.bool_], person: Float32 | None) -> Float32:
    """Skin that hangs together with the face without crossing an edge, and more of it on the person: neck, ears, hands."""
    slope = np.hypot(cv2.Sobel(lab[0], cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(lab[0], cv2.CV_32F, 0, 1, scale=1 / 8))
    likely = skin > 0.35
    number, parts = cv2.connectedComponents((likely & (slope < EDGE)).astype(np.uint8), connectivity=4)
    counts = np.bincount(parts.ravel(), minlength=number)
    kept = np.zeros(number, bool)
    kept[np.unique(parts[inner])] = True
    if person is not None:
        on_person = np.bincount(parts.ravel(), weights=person.ravel(), minlength=number) / np.maximum(counts, 1)
        kept |= (on_person > 0.7) & (counts > 12)
    kept[0] = False
    # what is likely beside it, up to the edge itself, and its soft end
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (7, 7))
    whole = (cv2.dilate(kept[parts].astype(np.uint8), ball) > 0) & likely
    near = cv2.dilate(whole.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return np.where(near, skin, np.float32(0))
