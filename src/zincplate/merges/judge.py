"""Before a bracket is added up: how much light each frame got, whether it lies on the others, whether it is sharp, what moved."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import align, laid_on, rescaled
from zincplate.core.merging.moved import Moved, moved
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.radiance import exposure_ratio
from zincplate.core.merging.sharpness import Shake, detail, shake
from zincplate.merges.belong import belong, counted
from zincplate.merges.errors import MergeError
from zincplate.merges.in_turn import all_of, in_turn
from zincplate.merges.options import BracketOptions
from zincplate.merges.refine import Tiles, refined
from zincplate.merges.view import SHOWN_TO, Opened, View, views_of

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

MOST, FEWEST = 9, 2
UNSHARP = 0.8
"""Of the sharpest frame's detail: less is a spoiled frame."""
LEAST_MEASURED = 0.0008
"""Of the white level: below, a black level that is off by a fraction of a code counts too much."""
AS_TOLD_EV = 0.012
"""Nearer than that the capture data are surer than the measurement, which has some codes of the darkest frame to go by."""
AS_MUCH = 0.97
"""Of what the frame shows that shows most."""
DARKEST_ALIGNED = 3.0
"""Standard deviations of noise below which nothing is aligned by."""


APART = "it does not lie on the others: another subject, or too much movement"


@dataclass
class Figures:
    """What was found about one frame."""

    name: str
    told_ev: float | None
    """Against the reference, by the capture data."""
    exposure_ev: float = 0.0
    """Against the reference, as measured where both show something."""
    sharpness: float = 1.0
    """Against the sharpest."""
    shake: Shake | None = None
    residual_px: float = 0.0
    shift_px: float = 0.0
    """How far it was moved to lie on the reference, at the middle."""
    clipped: float = 0.0
    """Share of the picture at the end of its range."""
    reason: str = ""
    """Why it is left out; empty for a frame that takes part."""


@dataclass
class Judgement:
    """All that is known before adding up. Placements take places of the reference to places of each frame, at full size."""

    reference: int
    figures: list[Figures]
    placements: list[Placement]
    exposure: list[float]
    """Light of each frame against the reference's."""
    members: list[int]
    """Frames that take part, in the order that was given."""
    moved: Moved | None
    step: int
    origin: tuple[float, float]
    shown_ev: float = 0.0
    """Light of the exposure as bright as which the merge is shown, against the reference's."""

    @property
    def members_ev(self) -> Float64:
        """Light of the frames that take part, against the reference's."""
        return np.log2([self.exposure[i] for i in self.members])

    @property
    def alone(self) -> list[int]:
        """Frames that do not lie on the reference."""
        return [i for i, figure in enumerate(self.figures) if figure.reason == APART]


def judge(
    frames: Sequence[Opened],
    options: BracketOptions,
    breathe: Callable[[str], None] = lambda _: None,
    views: list[View] | None = None,
) -> Judgement:
    """Judges the frames of a bracket. ``views``, an empty list, is filled with what was looked at. Raises :class:`MergeError`
    when no merge can come of them."""
    counted(frames, "A bracket", FEWEST, MOST)
    belong(frames, "bracket")
    views = [] if views is None else views
    views += views_of(frames, breathe)
    given = options.reference
    if given is not None and given >= len(frames):
        raise MergeError(f"There is no frame {given + 1}; there are {len(frames)}.")
    reference = _best(views, options) if given is None else given
    judged = against(frames, views, reference, options.align, breathe)
    for other in [i for i in judged.alone if given is None]:
        # a stranger among them was taken for the reference: what most of them lie on counts
        if len(judged.alone) < len(judged.members):
            break
        tried = against(frames, views, other, options.align, breathe)
        if len(tried.alone) < len(judged.alone):
            reference, judged = other, tried
    best = max(range(len(frames)), key=lambda i: judged.figures[i].sharpness if i in _candidates(views, options) else 0)
    if given is None and judged.figures[reference].sharpness < UNSHARP and best != reference:
        reference = best  # the frame that seemed best is itself shaken
        judged = against(frames, views, reference, options.align, breathe)
    _leave_out(judged, options)
    if len(judged.members) < FEWEST:
        reasons = "; ".join(f"{f.name}: {f.reason}" for f in judged.figures if f.reason)
        raise MergeError(f"Nothing is left to merge. {reasons}.")
    if given is None:
        metered = metered_ev(frames, judged)
        judged.shown_ev = _as_most_show(views, judged) if metered is None else metered
    if options.ghosts > 0:
        breathe("looking for what moved")
        judged.moved = _moved(views, judged, options)
    return judged


def metered_ev(frames: Sequence[Opened], judged: Judgement) -> float | None:
    """Light of the exposure that was metered, against the reference's: of the frame without exposure compensation, of which a
    bracket has one as a rule (common practice); None where it has none, or the files do not tell."""
    told = [frames[i].source.capture.bias_ev for i in judged.members]
    if any(ev is None for ev in told):
        return None
    off = np.array(told, np.float64)
    plain = int(np.abs(off).argmin())
    # compensation that is the same for all, or has nothing to do with what was exposed, tells nothing
    apart = np.abs(off - off[plain] - (judged.members_ev - judged.members_ev[plain])).max()
    return float(judged.members_ev[plain]) if np.ptp(off) > 0.6 and apart < 0.5 and abs(off[plain]) < 0.17 else None


def _as_most_show(views: Sequence[View], judged: Judgement) -> float:
    """The middle exposure of the frames that show about as much as can be between black and clipped."""
    usable = np.array([views[i].usable for i in judged.members])
    return float(np.median(judged.members_ev[usable >= AS_MUCH * usable.max()]))


def _candidates(views: Sequence[View], options: BracketOptions) -> list[int]:
    able = [i for i in range(len(views)) if i not in options.leave_out] or list(range(len(views)))
    most = max(views[i].usable for i in able)
    return [i for i in able if views[i].usable > 0.6 * most]


def _best(views: Sequence[View], options: BracketOptions) -> int:
    """The frame that shows most between black and clipped."""
    return max(_candidates(views, options), key=lambda i: views[i].usable)


def against(
    frames: Sequence[Opened], views: Sequence[View], reference: int, aligned_too: bool, breathe: Callable[[str], None]
) -> Judgement:
    """Frames compared with a reference: light, place (unless they are taken to lie as they were taken), sharpness."""
    figures: list[Figures] = []
    placements: list[Placement] = []
    exposure: list[float] = []
    tiles: Tiles = {}
    # said before a frame is looked at, although the one after it is under way already
    breathe(f"comparing {frames[0].name}")
    with in_turn(lambda i: _compared(frames, views, reference, i, aligned_too, tiles), range(len(frames))) as results:
        for i, (found, placement, ratio) in enumerate(results):
            figures.append(found)
            placements.append(placement)
            exposure.append(ratio)
            if i + 1 < len(frames):
                breathe(f"comparing {frames[i + 1].name}")
    _sharpness(views, figures, placements, exposure, reference)
    members = [i for i in range(len(frames)) if not figures[i].reason]
    step, origin = views[reference].step, views[reference].origin
    return Judgement(reference, figures, placements, exposure, members, None, step, origin)


def _compared(
    frames: Sequence[Opened], views: Sequence[View], reference: int, i: int, aligned_too: bool, tiles: Tiles
) -> tuple[Figures, Placement, float]:
    """One frame's figures, place and light against the reference's."""
    frame, view, base, told = frames[i], views[i], views[reference], frames[reference].told_ev
    known = None if told is None or frame.told_ev is None else frame.told_ev - told
    found = Figures(frame.name, known, clipped=view.clipped)
    start = 2.0**known if known is not None else _by_quantiles(base, view)
    placement, ratio = _still(frame), 1.0
    if i != reference:
        pictures = comparable(base, view, start)
        aligned = align(*pictures) if aligned_too and pictures is not None else None
        if aligned is not None and pictures is not None:
            matrix = rescaled(aligned.homography, 1 / base.step, 1.0, base.origin)
            placement = Placement(matrix, placement.width, placement.height)
            limits = _limits(base, view, start)
            placement, found.residual_px = refined(frames[reference], frame, placement, pictures[0], base, start, limits, tiles)
        ratio = _measured(base, view, placement, start)
        if known is not None and abs(math.log2(ratio) - known) < AS_TOLD_EV:
            ratio = 2.0**known
        if aligned_too and pictures is not None and aligned is None:
            found.reason = APART
        elif pictures is None and view.usable < 0.001:
            found.reason = "it is black or blown all over"
    _note(found, placement, ratio)
    return found, placement, ratio


def _still(frame: Opened) -> Placement:
    return Placement(np.eye(3), frame.source.width, frame.source.height)


def _note(found: Figures, placement: Placement, ratio: float) -> None:
    found.exposure_ev = math.log2(ratio)
    middle = np.array([(placement.width - 1) / 2]), np.array([(placement.height - 1) / 2])
    there = placement.at(*middle)
    found.shift_px = float(np.hypot(there[0] - middle[0], there[1] - middle[1])[0])


def _limits(base: View, view: View, ratio: float) -> tuple[float, float]:
    """Light, in the reference's unit, that both can show."""
    lows = [DARKEST_ALIGNED * float(np.sqrt(v.variance.min())) / t for v, t in ((base, 1.0), (view, ratio))]
    tops = [v.top / t for v, t in ((base, 1.0), (view, ratio))]
    clipped = [top for v, top in zip((base, view), tops, strict=True) if v.clipped > 1e-3]
    return max(lows), min(clipped) if clipped else max(tops)


def comparable(base: View, view: View, ratio: float) -> tuple[Float32, Float32] | None:
    """Both as logarithms of light between what both can show; None when that is nothing."""
    low, high = _limits(base, view, ratio)
    if not low * 2 < high:
        return None
    held = [np.log2(np.clip(v.green / t, low, high)).astype(np.float32) for v, t in ((base, 1.0), (view, ratio))]
    return None if min(p.std() for p in held) < 0.02 else (held[0], held[1])


def _by_quantiles(base: View, view: View) -> float:
    """Light of a frame against another where nobody tells: quantiles that neither shows black nor clipped, a first guess."""
    a, b = (np.quantile(v.green, np.linspace(0.05, 0.95, 37)).astype(np.float64) for v in (base, view))
    good = (a > 0.003) & (b > 0.003) & (a < 0.7) & (b < 0.7)
    if good.any():
        return float(np.median(b[good] / a[good]))
    return max(float(np.median(b)), 1e-6) / max(float(np.median(a)), 1e-6)


def _measured(base: View, view: View, placement: Placement, start: float) -> float:
    """The exposure ratio where both show something well; ``start`` when nothing does."""
    places = placement.reduced(base.step, base.origin, base.size)
    laid, there = laid_on(np.stack([view.green, view.variance]), *places)
    shown, _ = laid_on(view.shown.astype(np.float32), *places)
    both = there & base.calm & (shown > 0.99)
    # enough light in both by what the reference recorded, which is the surer of the two
    enough = np.maximum(8 * np.sqrt(base.variance), 5 * np.sqrt(np.maximum(laid[1], 1e-12)) / start)
    both &= (base.green > enough) & (base.green * start < SHOWN_TO) & (base.green * start > LEAST_MEASURED)
    found = exposure_ratio(base.green[both], laid[0][both], base.variance[both], np.maximum(laid[1][both], 1e-12), start)
    return found if math.isfinite(found) and abs(math.log2(found / start)) < 1.5 else start


def _sharpness(
    views: Sequence[View], figures: list[Figures], placements: Sequence[Placement], exposure: Sequence[float], reference: int
) -> None:
    base = views[reference]

    def compared(i: int) -> float:
        view, t = views[i], exposure[i]
        low, high = _limits(base, view, t)
        # each in its own pixels: laying one on the other would blur it
        others = np.stack([base.green, base.shown.astype(np.float32)])
        (there, sure), inside = laid_on(others, *placements[i].inverse().reduced(base.step, base.origin, view.size))
        mine = inside & (sure > 0.5) & view.shown & (view.green / t > 4 * low) & (view.green / t < high) & (there < high)
        others = np.stack([view.green / np.float32(t), view.shown.astype(np.float32)])
        (back, sure), inside = laid_on(others, *placements[i].reduced(base.step, base.origin, base.size))
        theirs = inside & (sure > 0.5) & base.shown & (base.green > 4 * low) & (base.green < high) & (back < high)
        own = detail(view.green / np.float32(t), view.variance / np.float32(t * t), mine)
        other = detail(base.green, base.variance, theirs)
        return math.sqrt(own / other) if math.isfinite(own) and math.isfinite(other) and other > 0 else 1.0

    ratios = np.ones(len(views))
    others = [i for i in range(len(views)) if i != reference and not figures[i].reason]
    ratios[others] = all_of(compared, others)
    # by frames that show about as much as the reference: of a dark one only its noise is sharp
    alike = [i for i in range(len(views)) if views[i].usable >= 0.6 * base.usable]
    best = max(float(ratios[alike].max()), 1e-6)
    for i, figure in enumerate(figures):
        figure.sharpness = min(float(ratios[i] / best), 1.0)
    sharpest = max(alike, key=lambda i: ratios[i])
    for i, figure in enumerate(figures):
        if figure.sharpness < UNSHARP and not figure.reason and i != sharpest:
            figure.shake = _shake(views, placements, exposure, sharpest, i)


def _shake(
    views: Sequence[View], placements: Sequence[Placement], exposure: Sequence[float], sharp: int, smeared: int
) -> Shake | None:
    a, b = views[sharp], views[smeared]
    pictures = comparable(a, b, exposure[smeared] / exposure[sharp])
    if pictures is None:
        return None
    matrix = placements[smeared].homography @ np.linalg.inv(placements[sharp].homography)
    between = Placement(matrix, placements[sharp].width, placements[sharp].height)
    laid, _ = laid_on(pictures[1], *between.reduced(a.step, a.origin, a.size))
    found = shake(pictures[0], laid)
    return Shake(found.length_px * a.step, found.direction_degrees)


def _leave_out(judged: Judgement, options: BracketOptions) -> None:
    for i, figure in enumerate(judged.figures):
        if i in options.leave_out:
            figure.reason = "left out by hand"
        elif i in options.take:
            figure.reason = ""
        elif not figure.reason and figure.sharpness < UNSHARP:
            less = f"{1 - figure.sharpness:.0%} less sharp".replace("%", " %")
            length = figure.shake.length_px if figure.shake else 0.0
            figure.reason = f"shaken by {length:.0f} px, {less}" if length >= 2 else f"{less}: out of focus"
    judged.members = [i for i, figure in enumerate(judged.figures) if not figure.reason]
    if judged.reference not in judged.members and judged.members:
        raise MergeError(
            f"{judged.figures[judged.reference].name}: It is the reference and cannot be left out "
            f"({judged.figures[judged.reference].reason})."
        )


def _moved(views: Sequence[View], judged: Judgement, options: BracketOptions) -> Moved:
    base = views[judged.reference]
    light, variance, shown = [], [], []
    for i in judged.members:
        view, t = views[i], judged.exposure[i]
        places = judged.placements[i].reduced(base.step, base.origin, base.size)
        laid, there = laid_on(np.stack([view.green / t, view.variance / (t * t), view.shown]).astype(np.float32), *places)
        light.append(laid[0])
        variance.append(np.maximum(laid[1], 1e-12))
        shown.append(there & (laid[2] > 0.99))
    worth = np.array([judged.exposure[i] for i in judged.members], np.float32)
    names = {region: judged.members.index(frame) for region, frame in options.base.items() if frame in judged.members}
    return moved(np.stack(light), np.stack(variance), np.stack(shown), worth, options.strictness, names)
