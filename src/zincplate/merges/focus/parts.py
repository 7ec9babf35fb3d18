"""A focus series at full size, strip by strip: each place from the frames that are sharpest there."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.focus_mix import mixed_in, share_of
from zincplate.merges.focus.judge import BLOCK, FocusJudgement
from zincplate.merges.focus.options import FocusOptions, Touch
from zincplate.merges.in_turn import in_turn
from zincplate.merges.laid import laid_part
from zincplate.merges.view import Opened

Float32 = NDArray[np.float32]

ROWS = 256
BARE = 0.02
"""Of the frames that are chosen, those that show anything at a place: with less, others are asked."""


@dataclass(frozen=True)
class Strip:
    """Rows of the result."""

    top: int
    camera_values: Float32
    """(3, rows, width), 1 where the frame with the least light clips."""


def touched(depth: Float32, judged: FocusJudgement, touches: Sequence[Touch]) -> Float32:
    """The depth (h, w) with strokes drawn over it."""
    h, w = depth.shape
    picture = judged.placements[judged.reference]
    wide, high = picture.width / BLOCK, picture.height / BLOCK
    out = depth.copy()
    for touch in touches:
        if touch.frame not in judged.members:
            continue
        mask = np.zeros((h, w), np.uint8)
        points = np.round([(x * wide * 16 - 8, y * high * 16 - 8) for x, y in touch.points]).astype(np.int32)
        thick = max(round(2 * touch.radius * wide), 1)
        if len(points) == 1:
            cv2.circle(mask, tuple(int(v) for v in points[0]), max(thick // 2, 1) * 16, 255, -1, shift=4)
        else:
            cv2.polylines(mask, [points], False, 255, thick, cv2.LINE_8, 4)
        out[mask > 0] = judged.members.index(touch.frame)
    return out


def weights_of(depth: Float32, count: int) -> Float32:
    """(count, h, w) of each frame at depths (h, w), summing up to 1."""
    out = np.empty((count, *depth.shape), np.float32)
    for k in range(count):
        share_of(depth, k, count, out[k])
    return out


def parts(
    frames: Sequence[Opened], judged: FocusJudgement, options: FocusOptions, breathe: Callable[[float], None] = lambda _: None
) -> Iterator[Strip]:
    """The result from top to bottom. ``breathe`` is told the share that is done."""
    base = frames[judged.reference].source
    members = judged.members
    depth = touched(judged.depth.frame, judged, options.touches)
    darkest = np.float32(min(judged.exposure[i] for i in members))
    for top in range(0, base.height, ROWS):
        rows = min(ROWS, base.height - top)
        part = _enlarged(depth, base.width, top, top + rows)
        out = _mixed(frames, judged, part, top, rows)
        breathe((top + rows) / base.height)
        yield Strip(top, out * darkest)


def _enlarged(plane: Float32, width: int, y0: int, y1: int) -> Float32:
    """Rows of a map of blocks at full size; a rest that is less than a block goes on with the last one."""
    x = (np.arange(width, dtype=np.float32) + np.float32(0.5)) / np.float32(BLOCK) - np.float32(0.5)
    y = (np.arange(y0, y1, dtype=np.float32) + np.float32(0.5)) / np.float32(BLOCK) - np.float32(0.5)
    xx, yy = np.meshgrid(x, y)
    return np.asarray(cv2.remap(plane, xx, yy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)


def _mixed(frames: Sequence[Opened], judged: FocusJudgement, depth: Float32, top: int, rows: int) -> Float32:
    """(3, rows, width) camera values in the reference's light."""
    count = len(judged.members)
    out = np.zeros((3, *depth.shape), np.float32)
    total = np.full(depth.shape, 1e-6, np.float32)
    nearest, farthest = float(depth.min()) - 1, float(depth.max()) + 1

    def lay(one: tuple[int, int]) -> tuple[int, Float32, Float32, Float32] | None:
        k, i = one
        share = np.empty(depth.shape, np.float32)
        share_of(depth, k, count, share)
        there = np.flatnonzero(share.any(0))
        if not there.size:
            return None
        # most frames are sharp in a part of the picture only
        left, width = int(there[0]), int(there[-1] - there[0]) + 1
        laid, trust = laid_part(frames[i], judged.placements[i], top, rows, width, i == judged.reference, left=left)
        return left, np.ascontiguousarray(laid), trust, share

    wanted = [(k, i) for k, i in enumerate(judged.members) if nearest < k < farthest]
    with in_turn(lay, wanted) as results:
        for (_, i), found in zip(wanted, results, strict=True):
            if found is None:
                continue
            left, laid, trust, share = found
            mixed_in(laid, factors_of(frames, judged, i), share, trust, left, out, total)
    out /= total

    def lay_all(k: int, left: int, right: int) -> tuple[Float32, NDArray[np.bool_]]:
        i = judged.members[k]
        laid, trust = laid_part(frames[i], judged.placements[i], top, rows, right - left, i == judged.reference, left=left)
        return laid * factors_of(frames, judged, i)[:, None, None], trust >= 0

    fill_bare(out, total, depth, judged, lay_all)
    return out


def factors_of(frames: Sequence[Opened], judged: FocusJudgement, i: int) -> Float32:
    """(3,) what plate values of a frame are multiplied by to be camera values in the reference's light."""
    return np.asarray(frames[i].source.as_shot_neutral, np.float32) / np.float32(judged.exposure[i])


def fill_bare(
    out: Float32, total: Float32, depth: Float32, judged: FocusJudgement,
    lay: Callable[[int, int, int], tuple[Float32, NDArray[np.bool_]]],
) -> None:  # fmt: skip
    """Where the frames chosen by ``depth`` (h, w) show nothing, which is so at the rim of frames that moved or were focused
    nearer: the frame that does and is focused nearest to it; the reference always does. ``total`` (h, w) is the share of those
    that show, ``out`` (3, h, w) camera values; ``lay`` gives a member's between two columns, and where it shows anything."""
    bare = total < BARE
    width = bare.shape[1]
    # left and right are mostly narrow
    for part in (bare & (np.arange(width) < width // 2), bare & (np.arange(width) >= width // 2)):
        there = np.flatnonzero(part.any(0))
        if not there.size:
            continue
        left, right = int(there[0]), int(there[-1]) + 1
        at = part[:, left:right]
        wanted, target = depth[:, left:right][at], out[:, :, left:right]
        nearest = np.full(wanted.shape, np.inf, np.float32)
        values = np.zeros((3, len(wanted)), np.float32)
        for k in sorted(range(len(judged.members)), key=lambda k: abs(k - float(np.median(wanted)))):
            nearer = np.abs(wanted - k) < nearest
            if nearer.any():
                laid, shows = lay(k, left, right)
                nearer &= shows[at]
                values[:, nearer] = laid[:, at][:, nearer]
                nearest[nearer] = np.abs(wanted - k)[nearer]
        target[:, at] = values
