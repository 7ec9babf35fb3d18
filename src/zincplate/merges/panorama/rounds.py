"""Panoramas that were turned once for each exposure: all places at the first, all again at the second."""

from collections.abc import Callable, Sequence
from itertools import combinations

import cv2
import numpy as np

from zincplate.core.merging.alignment import align, laid_on
from zincplate.merges.judge import MOST
from zincplate.merges.laying import comparable
from zincplate.merges.panorama.brackets import LEAST_SPAN_EV, SAME_EV
from zincplate.merges.view import Opened, view_of

Words = Callable[[str], None]

SAME_PLACE = 0.2
"""Of the long edge: frames of a place lie on each other by less, those of the next one do not."""
FINE_PX = 6.0
LIKE = 0.3
"""Correlation of what is finer than that: any two pictures of earth and sky are alike in what is coarse."""


def places_of_a_round(told_ev: Sequence[float | None]) -> int | None:
    """How many places each turn had, by runs of equal exposures as long as each other; None where there are no such runs."""
    runs: list[list[float]] = []
    for ev in told_ev:
        if ev is None:
            return None
        if not runs or abs(ev - runs[-1][0]) >= SAME_EV:
            runs.append([])
        runs[-1].append(ev)
    lengths, lights = {len(run) for run in runs}, [run[0] for run in runs]
    if not 2 <= len(runs) <= MOST or len(lengths) != 1 or lengths == {1} or max(lights) - min(lights) < LEAST_SPAN_EV:
        return None
    return None if any(abs(a - b) < SAME_EV for a, b in combinations(lights, 2)) else lengths.pop()


def groups_in_rounds(frames: Sequence[Opened], breathe: Words) -> list[list[int]] | None:
    """Frames of each place where the camera was turned once for each exposure, there and back or always the same way: as the
    frames at the ends of each turn show. None when they do not lie on each other: exposures that followed the light."""
    count = places_of_a_round([f.told_ev for f in frames])
    if count is None:
        return None
    groups = [[k] for k in range(count)]
    for begin in range(count, len(frames), count):
        turn = list(range(begin, begin + count))
        for way in (turn, turn[::-1]):
            breathe(f"comparing {frames[0].name} and {frames[way[0]].name}")
            if _one_place(frames[0], frames[way[0]]) and _one_place(frames[count - 1], frames[way[-1]]):
                break
        else:
            return None
        for group, i in zip(groups, way, strict=True):
            group.append(i)
    return groups


def _one_place(a: Opened, b: Opened) -> bool:
    base, view = view_of(a), view_of(b)
    pictures = comparable(base, view, 2.0 ** ((b.told_ev or 0.0) - (a.told_ev or 0.0))) if base.size == view.size else None
    found = None if pictures is None else align(*pictures)
    if pictures is None or found is None:
        return False
    rows, columns = base.size
    y, x = np.mgrid[:rows, :columns].astype(np.float32)
    there = cv2.perspectiveTransform(np.stack([x, y], -1).reshape(1, -1, 2), found.homography).reshape(rows, columns, 2)
    laid, inside = laid_on(pictures[1], np.ascontiguousarray(there[..., 0]), np.ascontiguousarray(there[..., 1]))
    shift = np.hypot(*(there - np.stack([x, y], -1))[rows // 2, columns // 2])
    fine = [p - cv2.GaussianBlur(p, (0, 0), FINE_PX) for p in (pictures[0], laid)]
    if inside.mean() < 1 - 2 * SAME_PLACE or shift > SAME_PLACE * max(base.size):
        return False
    return float(np.corrcoef(fine[0][inside], fine[1][inside])[0, 1]) > LIKE
