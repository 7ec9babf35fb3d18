"""Before a focus series is merged: how the frames lie on each other, and where each is sharp."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import align, laid_on, rescaled
from zincplate.core.merging.focus_depth import Depth, depth_of, focus_energy
from zincplate.core.merging.placement import Placement
from zincplate.merges.belong import belong, counted
from zincplate.merges.errors import MergeError
from zincplate.merges.focus.options import FocusOptions
from zincplate.merges.in_turn import all_of, in_turn
from zincplate.merges.view import Opened, View, view_of

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

MOST, FEWEST = 100, 2
BLOCK = 4
"""Pixels of a frame that are one of the depth map."""
BLUR_PX = 2.5
"""Reduced pixels: more than neighbours differ in blur."""
SIMILARITY_ROUNDS = 12
STOOD_PX, STOOD_RADIANS = 0.4, 4e-4
"""Reduced pixels and turn from one frame to the next, below which the camera stood still."""
EVERY_PX = 3
CORRELATED_PX = 4 * math.pi * BLUR_PX**2 / EVERY_PX**2
"""Of the places looked at, those that a blur makes one of."""
APART = "it does not lie on its neighbours: another subject, or too much movement"
NOWHERE = 0.004
"""Share of the picture: a frame that is sharpest in less adds nothing."""


@dataclass
class Figures:
    """What was found about one frame."""

    name: str
    told_ev: float | None = None
    exposure_ev: float = 0.0
    scale: float = 1.0
    """Of its picture against the reference's."""
    shift_px: float = 0.0
    residual_px: float = 0.0
    sharpest: float = 0.0
    """Share of the picture where it is the sharpest."""
    clipped: float = 0.0
    reason: str = ""


@dataclass
class FocusJudgement:
    """All that is known before merging. Placements take places of the reference to places of each frame."""

    figures: list[Figures]
    members: list[int]
    reference: int
    placements: list[Placement]
    exposure: list[float]
    depth: Depth
    """Frames are counted among the members."""
    notes: list[str] = field(default_factory=list)


def judge_focus(
    frames: Sequence[Opened],
    options: FocusOptions,
    breathe: Callable[[str], None] = lambda _: None,
    views: list[View] | None = None,
) -> FocusJudgement:
    """Judges frames; ``views``, an empty list, is filled with what was looked at. Raises :class:`MergeError`."""
    counted(frames, "A focus series", FEWEST, MOST)
    belong(frames, "focus series")
    views = [] if views is None else views
    for frame in frames:
        breathe(f"reading {frame.name}")
        views.append(view_of(frame))
    figures = [Figures(f.name, clipped=v.clipped) for f, v in zip(frames, views, strict=True)]
    for i in options.leave_out:
        if i < len(figures):
            figures[i].reason = "left out by hand"
    chain = [i for i, f in enumerate(figures) if not f.reason]
    if len(chain) < FEWEST:
        raise MergeError("Nothing is left to merge: all frames but one are left out.")
    placements = _chained(frames, views, figures, chain, options, breathe)
    members = [i for i in chain if not figures[i].reason]
    if len(members) < FEWEST:
        raise MergeError(f"These frames do not lie on each other: {', '.join(frames[i].name for i in chain)}.")
    reference = _reference(placements, members, options)
    placements = [_against(p, placements[reference]) for p in placements]
    exposure = _exposures(frames, views, placements, figures, members, reference)
    depth = _depth(frames, placements, exposure, members, reference, breathe)
    for k, i in enumerate(members):
        figures[i].sharpest = float((np.abs(depth.frame - k) <= 0.5).mean())
    return FocusJudgement(figures, members, reference, placements, exposure, depth)


def _log(view: View) -> Float32:
    return np.log2(np.maximum(view.green, 3 * np.sqrt(np.maximum(view.variance, 1e-12)) + 1e-5)).astype(np.float32)


def _chained(
    frames: Sequence[Opened], views: Sequence[View], figures: list[Figures], chain: Sequence[int], options: FocusOptions,
    breathe: Callable[[str], None],
) -> list[Placement]:  # fmt: skip
    """Every frame on the first of the chain, over its neighbours: those are focused nearly alike."""
    w, h = frames[0].source.width, frames[0].source.height
    placements = [Placement(np.eye(3), w, h) for _ in frames]
    if not options.align:
        return placements
    last = chain[0]
    pairs: list[tuple[int, int, Float64, float]] = []
    with in_turn(lambda pair: _laid(views, *pair), pairwise(chain)) as results:
        for (before, i), laid in zip(pairwise(chain), results, strict=True):
            breathe(f"laying {frames[i].name} on {frames[last].name}")
            found = laid if last == before else _laid(views, last, i)
            if found is None:
                figures[i].reason = APART
                continue
            pairs.append((last, i, *found))
            last = i
    # on a tripod only the size changes: what blur pretends beyond that would shift the frames
    if pairs and all(_stood(matrix, views[a]) for a, _, matrix, _ in pairs):
        again = all_of(lambda p: _similarity(views[p[0]], views[p[1]], p[2], True), pairs)
        pairs = [(a, b, *found) for (a, b, _, _), found in zip(pairs, again, strict=True)]
    for a, b, matrix, known in pairs:
        full = rescaled(matrix, 1 / views[a].step, 1.0, views[a].origin)
        figures[b].residual_px = known * views[a].step
        placements[b] = Placement(full @ placements[a].homography, w, h)
    return placements


def _laid(views: Sequence[View], first: int, second: int) -> tuple[Float64, float] | None:
    found = align(_log(views[first]), _log(views[second]))
    return None if found is None else _similarity(views[first], views[second], found.homography)


def _stood(matrix: Float64, view: View) -> bool:
    """Whether a similarity is one of size alone, as far as blur lets that be told."""
    middle = np.array([(view.size[1] - 1) / 2, (view.size[0] - 1) / 2, 1.0])
    moved = matrix @ middle - middle
    return bool(np.hypot(*moved[:2]) < STOOD_PX and abs(matrix[1, 0]) < STOOD_RADIANS)


def _similarity(first: View, second: View, rough: Float64, still: bool = False) -> tuple[Float64, float]:
    """Size, turn and shift from one reduced frame to the next, by the pictures themselves (Lucas & Kanade 1981, for a similarity,
    with Tukey's weights): focusing changes nothing else. Both are blurred before, so that what is sharp in one only does not
    pull. Also how far that is known, in reduced pixels."""
    a, b = (cv2.GaussianBlur(_log(v), (0, 0), BLUR_PX) for v in (first, second))
    h, w = first.size
    middle = np.array([(w - 1) / 2, (h - 1) / 2])
    # neighbours say the same after blurring
    xx, yy = np.meshgrid(np.arange(0, w, EVERY_PX, dtype=np.float32), np.arange(0, h, EVERY_PX, dtype=np.float32))
    slopes = [np.stack([cv2.Sobel(p, cv2.CV_32F, *o, ksize=3, scale=1 / 8) for o in ((1, 0), (0, 1))]) for p in (a, b)]
    own, shown, own_slope = a[::EVERY_PX, ::EVERY_PX], first.shown[::EVERY_PX, ::EVERY_PX], slopes[0][:, ::EVERY_PX, ::EVERY_PX]
    u, v = xx - middle[0], yy - middle[1]
    at = rough @ np.array([*middle, 1.0])
    jacobian = rough[:2, :2] / at[2] - np.outer(at[:2] / at[2], rough[2, :2]) / at[2]
    p = np.array([
        (jacobian[0, 0] + jacobian[1, 1]) / 2 - 1, (jacobian[1, 0] - jacobian[0, 1]) / 2, *(at[:2] / at[2] - middle),
    ])  # fmt: skip
    if still:
        p[1:] = 0
    deviation = 0.0
    for _ in range(SIMILARITY_ROUNDS):
        there_x, there_y = (1 + p[0]) * u - p[1] * v + p[2] + middle[0], p[1] * u + (1 + p[0]) * v + p[3] + middle[1]
        places = there_x.astype(np.float32), there_y.astype(np.float32)
        moved = cv2.remap(b, *places, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
        inside = (there_x > 4) & (there_y > 4) & (there_x < w - 5) & (there_y < h - 5) & shown
        gx, gy = (
            (mine + cv2.remap(theirs, *places, cv2.INTER_LINEAR))[inside].astype(np.float64) / 2
            for mine, theirs in zip(own_slope, slopes[1], strict=True)
        )
        rest = (own - moved)[inside].astype(np.float64)
        rest -= np.median(rest)
        scale = 4 * 1.4826 * float(np.median(np.abs(rest))) + 1e-6
        weight = np.where(np.abs(rest) < scale, (1 - (rest / scale) ** 2) ** 2, 0.0)
        columns = np.stack([gx * u[inside] + gy * v[inside], gy * u[inside] - gx * v[inside], gx, gy, np.ones_like(gx)], 1)
        square = columns.T @ (columns * weight[:, None])
        square[np.diag_indices(5)] += 1e-9 * np.trace(square)
        if still:  # only the size is looked for
            square[np.ix_([1, 2, 3], [1, 2, 3])] += 1e9 * np.trace(square) * np.eye(3)
        step = np.linalg.solve(square, columns.T @ (rest * weight))
        p += step[:4]
        variance = float((weight * rest**2).sum() / max(float(weight.sum()), 1)) * CORRELATED_PX
        deviation = float(np.sqrt(variance * np.linalg.inv(square)[2:4, 2:4].trace()))
        if np.abs(step[:4] * (w, w, 1, 1)).max() < 1e-3:
            break
    turn = np.array([[1 + p[0], -p[1], p[2]], [p[1], 1 + p[0], p[3]], [0, 0, 1.0]])
    move = np.array([[1, 0, middle[0]], [0, 1, middle[1]], [0, 0, 1.0]])
    return np.asarray(move @ turn @ np.linalg.inv(move)), deviation


def _reference(placements: Sequence[Placement], members: Sequence[int], options: FocusOptions) -> int:
    if options.reference is not None:
        if options.reference not in members:
            raise MergeError(f"Frame {options.reference + 1} cannot be the reference: it does not take part.")
        return options.reference
    # the frame that shows least: all the others cover it
    return max(members, key=lambda i: abs(float(np.linalg.det(placements[i].homography[:2, :2]))))


def _against(placement: Placement, reference: Placement) -> Placement:
    matrix = placement.homography @ np.linalg.inv(reference.homography)
    return Placement(np.asarray(matrix / matrix[2, 2]), placement.width, placement.height)


def _exposures(
    frames: Sequence[Opened], views: Sequence[View], placements: Sequence[Placement], figures: list[Figures],
    members: Sequence[int], reference: int,
) -> list[float]:  # fmt: skip
    """Light of each against the reference: the median of their ratios; blur changes single places, not their middle."""
    base = views[reference]
    soft = cv2.GaussianBlur(base.green, (0, 0), 4)
    out = [1.0] * len(frames)
    told = frames[reference].told_ev
    for i in members:
        laid, there = laid_on(views[i].green, *placements[i].reduced(base.step, base.origin, base.size))
        good = there & base.shown & (soft > 8 * np.sqrt(base.variance)) & (soft < 0.85)
        ratio = float(np.median(cv2.GaussianBlur(laid, (0, 0), 4)[good] / soft[good])) if good.sum() > 500 else 1.0
        own = frames[i].told_ev
        known = None if own is None or told is None else own - told
        if known is not None and abs(math.log2(max(ratio, 1e-6)) - known) < 0.1:
            ratio = 2.0**known
        figures[i].told_ev, figures[i].exposure_ev, out[i] = known, math.log2(ratio), ratio
        centre = np.array([(placements[i].width - 1) / 2]), np.array([(placements[i].height - 1) / 2])
        moved = placements[i].at(*centre)
        figures[i].shift_px = float(np.hypot(moved[0] - centre[0], moved[1] - centre[1])[0])
        figures[i].scale = float(np.sqrt(abs(np.linalg.det(placements[i].homography[:2, :2]))))
    return out


STRIP = 512


def _depth(
    frames: Sequence[Opened], placements: Sequence[Placement], exposure: Sequence[float], members: Sequence[int], reference: int,
    breathe: Callable[[str], None],
) -> Depth:  # fmt: skip
    base = frames[reference].source
    size = base.height // BLOCK, base.width // BLOCK
    xx, yy = np.meshgrid((np.arange(size[1]) + 0.5) * BLOCK - 0.5, (np.arange(size[0]) + 0.5) * BLOCK - 0.5)
    energies, light, shown = [], [], []
    floor = np.full(size, np.inf, np.float32)
    with in_turn(lambda i: _energy(frames[i]), members) as results:
        for i, (energy, level) in zip(members, results, strict=True):
            breathe(f"where {frames[i].name} is sharp")
            x, y = placements[i].at(xx, yy)
            rx, ry = (((v + 0.5) / BLOCK - 0.5).astype(np.float32) for v in (x, y))
            inside = (x >= 0) & (y >= 0) & (x <= base.width - 1) & (y <= base.height - 1)
            t = np.float32(exposure[i])
            laid = [cv2.remap(p, rx, ry, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for p in (energy, level)]
            energies.append(laid[0] / (t * t))
            light.append(np.log2(np.maximum(laid[1] / t, 1e-5)).astype(np.float32))
            shown.append(inside)
            slope, offset = frames[i].noise[0][1], frames[i].noise[1][1]
            # what is left of noise's energy over a block of 16 squared values: a quarter of it
            rest = 5 * (slope * np.maximum(laid[1], 0) + offset).astype(np.float32) / (t * t)
            floor = np.minimum(floor, rest)
    return depth_of(energies, light, shown, floor)


def _energy(frame: Opened) -> tuple[Float32, Float32]:
    """Energy of detail and green light of a frame, in blocks."""
    source = frame.source
    rows, columns = source.height // BLOCK, source.width // BLOCK
    energy, level = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), np.float32)
    slope, offset = np.float32(frame.noise[0][1]), np.float32(frame.noise[1][1])
    for top in range(0, rows * BLOCK, STRIP):
        above, below = min(top, BLOCK), min(BLOCK, source.height - min(top + STRIP, rows * BLOCK))
        high = min(STRIP, rows * BLOCK - top)
        green = source.window(0, top - above, source.width, high + above + below, True)[1]
        variance = slope * np.maximum(cv2.GaussianBlur(green, (0, 0), 2), 0) + offset
        part = focus_energy(np.ascontiguousarray(green), variance, BLOCK)
        at = slice(top // BLOCK, (top + high) // BLOCK)
        energy[at] = part[above // BLOCK : above // BLOCK + high // BLOCK]
        whole = cv2.resize(green[above : above + high, : columns * BLOCK], (columns, high // BLOCK), interpolation=cv2.INTER_AREA)
        level[at] = whole
    return energy, level
