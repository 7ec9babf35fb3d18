"""Before a bracket is added up: how much light each frame got, whether it lies on the others, whether it is sharp, what moved."""

import math
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import laid_on
from zincplate.core.merging.moved import Moved, moved
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.sharpness import Seen, Shake, as_sharp, same_light, shake
from zincplate.merges.belong import BY_HAND, aside_of, counted, nothing_left
from zincplate.merges.errors import MergeError
from zincplate.merges.in_turn import all_of, in_turn
from zincplate.merges.laying import Frame, Laid, by_quantiles, comparable, laid, limits_of, measured, read_at
from zincplate.merges.options import BracketOptions
from zincplate.merges.refine import Tiles
from zincplate.merges.view import Opened, View, views_of

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Mask = NDArray[np.bool_]

MOST, FEWEST = 9, 2
UNSHARP = 0.8
"""Of the sharpest frame's detail: less is a spoiled frame."""
AS_TOLD_EV = 0.012
"""Nearer than that the capture data are surer than the measurement, which has some codes of the darkest frame to go by."""
AS_MUCH = 0.97
"""Of what the frame shows that shows most."""


APART = "it does not lie on the others: another subject, or too much movement"
STILL_PX = 1.0
"""Frames that lie no further apart than this are of a camera that stood still."""
HARDLY = "it shows too little between black and blown to be laid on the others"
LITTLE = 0.15
"""Of what the reference shows."""
MIDDLE = np.array([0.5]), np.array([0.5])
"""In shares of width and height."""


@dataclass
class Figures:
    """What was found about one frame."""

    name: str
    told_ev: float | None
    """Against the reference, by the capture data."""
    exposure_ev: float = 0.0
    """Against the reference, as measured where both show something."""
    sharpness: float = 0.0
    """Against the sharpest; 0 where it was not compared."""
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
    moved_px: float = -1.0
    """How far frames that were laid on the reference moved at most; -1 where none could be."""

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
    aside = aside_of(frames, options.leave_out, "bracket")
    given = options.reference
    if given is not None and given >= len(frames):
        raise MergeError(f"There is no frame {given + 1}; there are {len(frames)}.")
    by_hand = [BY_HAND if i in options.leave_out else "" for i in range(len(frames))]
    if by_hand.count("") < FEWEST:
        raise nothing_left("merge", zip([f.name for f in frames], by_hand, strict=True))
    if given in aside:
        raise MergeError(f"{frames[given].name}: It is the reference and cannot be left out ({BY_HAND}).")
    views = [] if views is None else views
    views += views_of(frames, breathe, aside=aside)
    reference = _best(views, options) if given is None else given
    judged = against(frames, views, reference, options.align, breathe, aside)
    if options.align and judged.moved_px < 0 and given is not None:
        _told_nothing(frames, views, given, options, breathe, aside)
    for other in [i for i in judged.alone if given is None and i not in options.leave_out]:
        # a stranger among them was taken for the reference: what most of them lie on counts
        if len(judged.alone) < len(judged.members):
            break
        tried = against(frames, views, other, options.align, breathe, aside)
        if len(tried.alone) < len(judged.alone):
            reference, judged = other, tried
    best = max(range(len(frames)), key=lambda i: judged.figures[i].sharpness if i in _candidates(views, options) else 0)
    if given is None and judged.figures[reference].sharpness < UNSHARP and best != reference:
        reference = best  # the frame that seemed best is itself shaken
        judged = against(frames, views, reference, options.align, breathe, aside)
    _leave_out(judged, options)
    if len(judged.members) < FEWEST:
        raise nothing_left("merge", [(f.name, f.reason) for f in judged.figures])
    if given is None:
        metered = metered_ev(frames, judged)
        judged.shown_ev = _as_most_show(views, judged) if metered is None else metered
    if options.ghosts > 0:
        breathe("looking for what moved")
        judged.moved = _moved(views, judged, options)
    return judged


def _told_nothing(
    frames: Sequence[Opened], views: Sequence[View], given: int, options: BracketOptions, breathe: Callable[[str], None],
    aside: Collection[int],
) -> None:  # fmt: skip
    """Nothing could be laid on the reference that was given: as taken they lie on each other only if the camera stood still,
    which others may tell. Raises :class:`MergeError` if they do not."""
    best = _best(views, options.model_copy(update={"leave_out": (*options.leave_out, given)}))
    if best == given or views[given].usable > LITTLE * views[best].usable:
        return  # it shows enough, of another subject
    if against(frames, views, best, True, breathe, aside).moved_px > STILL_PX:
        raise MergeError(
            f"{frames[given].name}: It cannot be the reference: the camera moved, and too little of it lies between black and"
            f" blown for the others to be laid on it. {frames[best].name} shows more."
        )


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
    frames: Sequence[Opened], views: Sequence[View], reference: int, aligned_too: bool, breathe: Callable[[str], None],
    aside: Collection[int] = (),
) -> Judgement:  # fmt: skip
    """Frames compared with a reference: light, place (unless they are taken to lie as they were taken), sharpness. Of those
    ``aside`` nothing is told."""
    figures: list[Figures] = []
    exposure: list[float] = []
    tiles: Tiles = {}
    lying: list[Laid | None] = []
    # said before a frame is looked at, although the one after it is under way already
    breathe(f"comparing {frames[0].name}")

    def compared(i: int) -> tuple[Figures, Laid | None, float]:
        if i in aside:
            return Figures(frames[i].name, None, clipped=views[i].clipped, reason=BY_HAND), None, 1.0
        return _compared(frames, views, reference, i, aligned_too, tiles)

    with in_turn(compared, range(len(frames))) as results:
        for i, (found, lies, ratio) in enumerate(results):
            figures.append(found)
            lying.append(lies)
            exposure.append(ratio)
            if i + 1 < len(frames):
                breathe(f"comparing {frames[i + 1].name}")
    if aligned_too:
        _by_neighbours(frames, views, reference, figures, lying, exposure)
    placements = [_still(f) if lies is None else lies.placement for f, lies in zip(frames, lying, strict=True)]
    for found, placement, ratio in zip(figures, placements, exposure, strict=True):
        _note(found, placement, ratio)
    known = [lies for lies in lying if lies]
    surely = [lies for lies in known if lies.sure] or known
    moved_px = max((_moved_px(lies.placement) for lies in surely), default=-1.0)
    if moved_px > STILL_PX:
        # the camera moved, and of what cannot be compared nobody knows how it lies
        for i, found in enumerate(figures):
            if lying[i] is None and i != reference and not found.reason:
                found.reason = HARDLY
    _sharpness(views, figures, placements, exposure, reference, aside)
    members = [i for i in range(len(frames)) if not figures[i].reason]
    step, origin = views[reference].step, views[reference].origin
    return Judgement(reference, figures, placements, exposure, members, None, step, origin, moved_px=moved_px)


def _compared(
    frames: Sequence[Opened], views: Sequence[View], reference: int, i: int, aligned_too: bool, tiles: Tiles
) -> tuple[Figures, Laid | None, float]:
    """One frame's figures, place and light against the reference's."""
    frame, view, base, told = frames[i], views[i], views[reference], frames[reference].told_ev
    known = None if told is None or frame.told_ev is None else frame.told_ev - told
    found = Figures(frame.name, known, clipped=view.clipped)
    start = 2.0**known if known is not None else by_quantiles(base, view)
    if i == reference:
        return found, None, 1.0
    lies = laid(Frame(frames[reference], base), Frame(frame, view), start, tiles) if aligned_too else None
    if lies is None and comparable(base, view, start) is None:
        found.reason = "it is black or blown all over" if view.usable < 0.001 else ""
    elif lies is None and aligned_too:
        found.reason = APART if view.usable > LITTLE * base.usable else HARDLY
    found.residual_px = lies.residual_px if lies else 0.0
    return found, lies, _light(base, view, lies.placement if lies else _still(frame), start, known)


def _light(base: View, view: View, placement: Placement, start: float, known: float | None) -> float:
    ratio = measured(base, view, placement, start)
    return 2.0**known if known is not None and abs(math.log2(ratio) - known) < AS_TOLD_EV else ratio


def _by_neighbours(
    frames: Sequence[Opened],
    views: Sequence[View],
    reference: int,
    figures: list[Figures],
    lying: list[Laid | None],
    exposure: list[float],
) -> None:
    """Frames that have little in common with the reference, being much darker or lighter, are laid on one in between that has
    more, where that one lies on the reference surely."""
    light = np.log2(exposure)
    for i in np.argsort(np.abs(light)):
        mine, reach = lying[i], light[i]
        if i == reference or reach == 0 or (mine is not None and mine.sure):
            continue
        between = [k for k in range(len(frames)) if 0 < light[k] / reach < 1 and (lies := lying[k]) and lies.sure]
        if not between:
            continue
        k = max(between, key=lambda k: abs(light[k]))
        start = exposure[i] / exposure[k]
        link = laid(Frame(frames[k], views[k]), Frame(frames[i], views[i]), start, {})
        whole = lying[k]
        if link is None or whole is None:
            continue
        found = link.after(whole)
        if not found.tells_more_than(mine):
            continue
        lying[i] = found
        figures[i].residual_px, figures[i].reason = found.residual_px, ""
        exposure[i] = _light(views[reference], views[i], found.placement, exposure[i], figures[i].told_ev)


def _still(frame: Opened) -> Placement:
    return Placement(np.eye(3), frame.source.width, frame.source.height)


def _off_px(placement: Placement, across: Float64, down: Float64) -> float:
    """How far places, in shares of the picture, lie from their own at most."""
    x, y = across * (placement.width - 1), down * (placement.height - 1)
    there = placement.at(x, y)
    return float(np.hypot(there[0] - x, there[1] - y).max())


def _moved_px(placement: Placement) -> float:
    """How far the camera moved or turned: by the middle, and by the corners, which are found half as surely."""
    corners = np.array([0.0, 1, 0, 1]), np.array([0.0, 0, 1, 1])
    return max(_off_px(placement, *MIDDLE), _off_px(placement, *corners) / 2)


def _note(found: Figures, placement: Placement, ratio: float) -> None:
    found.exposure_ev = math.log2(ratio)
    found.shift_px = _off_px(placement, *MIDDLE)


def _sharpness(
    views: Sequence[View], figures: list[Figures], placements: Sequence[Placement], exposure: Sequence[float], reference: int,
    aside: Collection[int],
) -> None:  # fmt: skip
    base = views[reference]

    def compared(i: int) -> float:
        view, t = views[i], exposure[i]
        low, high = limits_of(base, view, t)
        # each in its own pixels: laying one on the other would blur it
        there, shown = read_at(base, *placements[i].inverse().reduced(base.step, base.origin, view.size))
        mine = (shown > 0.5) & view.shown & (view.green / t > 4 * low) & (view.green / t < high) & (there < high)
        back, shown = read_at(view, *placements[i].reduced(base.step, base.origin, base.size))
        back /= np.float32(t)
        theirs = (shown > 0.5) & base.shown & (base.green > 4 * low) & (base.green < high) & (back < high)
        # a lamp that crossed one of them is a matter of what moved
        mine &= same_light(view.green / np.float32(t), there)
        theirs &= same_light(base.green, back)
        own = Seen(view.green / np.float32(t), view.variance / np.float32(t * t), mine, view.noise_known_to)
        # of finished pictures compression takes the finest, the more the darker they are
        found = as_sharp(own, Seen(base.green, base.variance, theirs, base.noise_known_to), 1 if view.finished else 0)
        return found if math.isfinite(found) else 1.0

    ratios = np.ones(len(views))
    others = [i for i in range(len(views)) if i != reference and not figures[i].reason]
    ratios[others] = all_of(compared, others)
    # by frames that show about as much as the reference: of a dark one only its noise is sharp
    alike = [i for i in range(len(views)) if views[i].usable >= 0.6 * base.usable and i not in aside]
    best = max(float(ratios[alike].max()), 1e-6)
    for i, figure in enumerate(figures):
        figure.sharpness = min(float(ratios[i] / best), 1.0) if i == reference or i in others else 0.0
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
            figure.reason = BY_HAND
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

    def lying(i: int) -> tuple[Float32, NDArray[np.bool_]]:
        view, t = views[i], judged.exposure[i]
        places = judged.placements[i].reduced(base.step, base.origin, base.size)
        return laid_on(np.stack([view.green / t, view.variance / (t * t), view.shown]).astype(np.float32), *places)

    light, variance, shown, clipped = [], [], [], []
    for planes, there in all_of(lying, judged.members):
        light.append(planes[0])
        variance.append(np.maximum(planes[1], 1e-12))
        shown.append(there & (planes[2] > 0.99))
        clipped.append(there & (planes[2] < 0.01))
    worth = np.array([judged.exposure[i] for i in judged.members], np.float32)
    names = {region: judged.members.index(frame) for region, frame in options.base.items() if frame in judged.members}
    told = np.stack(light), np.stack(variance), np.stack(shown), worth
    return moved(*told, options.strictness, names, base.finished, np.stack(clipped), all_of)
