"""Before a focus series is merged: how the frames lie on each other, and where each is sharp."""

import math
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import align, laid_on, rescaled
from zincplate.core.merging.focus_depth import MOSAIC_GAINS, WHITE_GAINS, Depth, depth_of, focus_energy, noise_energy
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.similarity import Smoothed, similarity
from zincplate.merges.belong import BY_HAND, aside_of, counted
from zincplate.merges.errors import MergeError
from zincplate.merges.focus.options import FocusOptions
from zincplate.merges.in_turn import all_of, in_turn
from zincplate.merges.view import Opened, View, views_of

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

MOST, FEWEST = 100, 2
BLOCK = 4
"""Pixels of a frame that are one of the depth map."""
BLUR_PX = 2.5
"""Reduced pixels: more than neighbours differ in blur."""
KEPT_LOOKS = 6
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
    aside = aside_of(frames, options.leave_out, "focus series")
    views = [] if views is None else views
    views += views_of(frames, breathe, aside=aside)
    figures = [Figures(f.name, clipped=v.clipped) for f, v in zip(frames, views, strict=True)]
    for i in options.leave_out:
        if i < len(figures):
            figures[i].reason = BY_HAND
    chain = [i for i, f in enumerate(figures) if not f.reason]
    if len(chain) < FEWEST:
        raise MergeError("Nothing is left to merge: all frames but one are left out.")
    placements = _chained(frames, views, figures, chain, options, breathe)
    members = [i for i in chain if not figures[i].reason]
    if len(members) < FEWEST:
        raise MergeError(f"These frames do not lie on each other: {', '.join(frames[i].name for i in chain)}.")
    reference = _reference(placements, members, options)
    placements = [_against(p, placements[reference]) for p in placements]
    # to the last digit: its rim must not count as beside it
    placements[reference] = Placement(np.eye(3), placements[reference].width, placements[reference].height)
    exposure = _exposures(frames, views, placements, figures, members, reference)
    depth = _depth(frames, placements, exposure, members, reference, breathe)
    for k, i in enumerate(members):
        figures[i].sharpest = float((np.abs(depth.frame - k) <= 0.5).mean())
    return FocusJudgement(figures, members, reference, placements, exposure, depth)


class _Looks:
    """Logarithms of light and their slopes of the last few frames that were laid on each other, each worked out once."""

    def __init__(self, views: Sequence[View]) -> None:
        self.views = views
        self._kept: OrderedDict[int, tuple[Float32, Smoothed]] = OrderedDict()
        self._lock = threading.Lock()

    def __getitem__(self, index: int) -> tuple[Float32, Smoothed]:
        with self._lock:
            if index not in self._kept:
                light = _log(self.views[index])
                self._kept[index] = light, Smoothed.of(light, BLUR_PX)
                if len(self._kept) > KEPT_LOOKS:
                    self._kept.popitem(last=False)
            return self._kept[index]


def _log(view: View) -> Float32:
    return np.log2(np.maximum(view.green, 3 * np.sqrt(np.maximum(view.variance, 1e-12)) + 1e-5)).astype(np.float32)


def _chained(
    frames: Sequence[Opened], views: Sequence[View], figures: list[Figures], chain: Sequence[int], options: FocusOptions,
    breathe: Callable[[str], None],
) -> list[Placement]:  # fmt: skip
    """Every frame on the first of the chain, over its neighbours: those are focused nearly alike."""
    w, h = frames[chain[0]].source.width, frames[chain[0]].source.height
    placements = [Placement(np.eye(3), w, h) for _ in frames]
    if not options.align:
        return placements
    last = chain[0]
    pairs: list[tuple[int, int, Float64, float]] = []
    looks = _Looks(views)
    with in_turn(lambda pair: _laid(looks, *pair), pairwise(chain)) as results:
        for (before, i), laid in zip(pairwise(chain), results, strict=True):
            breathe(f"laying {frames[i].name} on {frames[last].name}")
            found = laid if last == before else _laid(looks, last, i)
            if found is None:
                figures[i].reason = APART
                continue
            pairs.append((last, i, *found))
            last = i
    # on a tripod only the size changes: what blur pretends beyond that would shift the frames
    if pairs and all(_stood(matrix, views[a]) for a, _, matrix, _ in pairs):
        again = all_of(lambda p: _nearer(looks, p[0], p[1], p[2], True), pairs)
        pairs = [(p[0], p[1], *found) if found is not None else p for p, found in zip(pairs, again, strict=True)]
    for a, b, matrix, known in pairs:
        full = rescaled(matrix, 1 / views[a].step, 1.0, views[a].origin)
        figures[b].residual_px = known * views[a].step
        placements[b] = Placement(full @ placements[a].homography, w, h)
    return placements


def _laid(looks: _Looks, first: int, second: int) -> tuple[Float64, float] | None:
    found = align(looks[first][0], looks[second][0])
    return None if found is None else _nearer(looks, first, second, found.homography)


def _nearer(looks: _Looks, first: int, second: int, rough: Float64, size_only: bool = False) -> tuple[Float64, float] | None:
    """Focusing changes nothing but size, turn and shift. Both are blurred, so that what is sharp in one only does not pull."""
    usable = looks.views[first].shown
    return similarity(looks[first][1], looks[second][1], usable, rough, EVERY_PX, CORRELATED_PX, size_only)


def _stood(matrix: Float64, view: View) -> bool:
    """Whether a similarity is one of size alone, as far as blur lets that be told."""
    middle = np.array([(view.size[1] - 1) / 2, (view.size[0] - 1) / 2, 1.0])
    moved = matrix @ middle - middle
    return bool(np.hypot(*moved[:2]) < STOOD_PX and abs(matrix[1, 0]) < STOOD_RADIANS)


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
    noise = np.full(size, np.inf, np.float32)
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
            expected = noise_energy((slope * np.maximum(laid[1], 0) + offset) / (t * t), _gains(frames[i]))
            noise = np.minimum(noise, expected)
    return depth_of(energies, light, shown, noise)


def _gains(frame: Opened) -> tuple[float, float]:
    return MOSAIC_GAINS if frame.source.mosaic else WHITE_GAINS


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
        part = focus_energy(np.ascontiguousarray(green), variance, BLOCK, _gains(frame))
        at = slice(top // BLOCK, (top + high) // BLOCK)
        energy[at] = part[above // BLOCK : above // BLOCK + high // BLOCK]
        whole = cv2.resize(green[above : above + high, : columns * BLOCK], (columns, high // BLOCK), interpolation=cv2.INTER_AREA)
        level[at] = whole
    return energy, level
