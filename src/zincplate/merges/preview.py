"""A quick look at a merge before it is made: the reduced frames added up, and the outlines of what moved."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import laid_on
from zincplate.core.merging.moved import allowed
from zincplate.core.merging.radiance import add_up
from zincplate.merges.bracket import colour_of
from zincplate.merges.file import shown
from zincplate.merges.judge import Judgement
from zincplate.merges.view import Opened, View

Float32 = NDArray[np.float32]


def preview_of(
    frames: Sequence[Opened], views: Sequence[View], judged: Judgement, with_ghosts: bool = False
) -> NDArray[np.uint8]:
    """(h, w, 3) sRGB, as the master would be shown; ``with_ghosts``: if what moved were added up as well."""
    base = views[judged.reference]
    h, w = base.size
    members = judged.members
    neutral = np.asarray(frames[judged.reference].source.as_shot_neutral)
    values, trust = np.empty((len(members), 3, h, w), np.float32), np.empty((len(members), h, w), np.float32)
    slope, offset = np.empty((len(members), 3), np.float32), np.empty((len(members), 3), np.float32)
    for k, i in enumerate(members):
        factor = np.asarray(frames[i].source.as_shot_neutral) / neutral
        places = judged.placements[i].reduced(base.step, base.origin, base.size)
        laid, there = laid_on(np.concatenate([views[i].planes, views[i].shown[None].astype(np.float32)]), *places)
        values[k] = laid[:3] * factor.astype(np.float32)[:, None, None]
        trust[k] = np.where(there, np.clip(laid[3] * 20 - 19, 0, 1), -1)
        slope[k], offset[k] = frames[i].noise[0] * factor, frames[i].noise[1] * factor**2
    if judged.moved is not None and judged.moved.regions and not with_ghosts:
        trust = np.where(trust > 0, trust * allowed(judged.moved, len(members)), trust)
    exposure = np.array([judged.exposure[i] for i in members], np.float32)
    out, variance, clipped = np.empty((3, h, w), np.float32), np.empty((h, w), np.float32), np.empty((h, w), np.uint8)
    fallback = np.argsort(exposure, kind="stable").astype(np.int64)
    add_up(values, trust, exposure, slope, offset, fallback, np.ones(3, np.float32), out, variance, clipped)
    return shown(out * (neutral * float(exposure.min())).astype(np.float32)[:, None, None], colour_of(frames, judged))


def outlines(judged: Judgement) -> dict[int, list[list[tuple[float, float]]]]:
    """Closed outlines of each region where something moved, in shares of the picture's width and height."""
    if judged.moved is None:
        return {}
    h, w = judged.moved.labels.shape
    found = {}
    for region in judged.moved.regions:
        mask = (judged.moved.labels == region.number).astype(np.uint8)
        lines, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
        simple = [cv2.approxPolyDP(line, 1.5, True)[:, 0] for line in lines]
        found[region.number] = [
            [(float((x + 0.5) / w), float((y + 0.5) / h)) for x, y in line] for line in simple if len(line) > 2
        ]
    return found
