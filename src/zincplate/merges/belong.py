"""Whether frames can be one merge at all."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import replace

from zincplate.merges.errors import MergeError
from zincplate.merges.view import Opened

LEAST_PX = 4
"""Reduced to half, as frames are looked at, two samples are left."""


BY_HAND = "left out by hand"
"""Why a frame does not take part that was switched off."""


def counted(frames: Sequence[Opened], what: str, fewest: int, most: int) -> None:
    """Raises :class:`MergeError` when these are too few or too many for a merge of a kind (``what``: "A bracket")."""
    if not fewest <= len(frames) <= most:
        raise MergeError(f"{what} is made of {fewest} to {most} frames; these are {len(frames)}.")


def nothing_left(to_do: str, reasons: Iterable[tuple[str, str]]) -> MergeError:
    """Fewer frames take part than there must be (``to_do``: "merge"); names and why, empty for those that do."""
    told = "; ".join(f"{name}: {reason}" for name, reason in reasons if reason)
    return MergeError(f"Nothing is left to {to_do}. {told}.")


def one_way(frames: Sequence[Opened], left_out: Collection[int] = ()) -> list[Opened]:
    """Frames of one sensor of which some are told to lie and some to stand, all as most of them are told (the first of two that
    are as many): pointed straight down or up a camera cannot tell how it is held. What was ``left_out`` by hand and is of another
    sensor stays as it is."""
    if not frames:
        return []
    edges = [sorted((frame.source.width, frame.source.height)) for frame in frames]
    taking = [edge for i, edge in enumerate(edges) if i not in left_out] or edges
    aside = {i for i in left_out if i < len(frames) and edges[i] != max(taking, key=taking.count)}
    if aside:
        turned = iter(one_way([frame for i, frame in enumerate(frames) if i not in aside]))
        return [frame if i in aside else next(turned) for i, frame in enumerate(frames)]
    sources = [frame.source for frame in frames]
    upright = [(s.width, s.height) for s in sources]
    if len(set(upright)) == 1 or len({tuple(sorted(size)) for size in upright}) > 1:
        return list(frames)
    lying = [size == upright[0] for size in upright]
    most = lying.count(True) * 2 >= len(frames)
    flags = [s.orientation for s, first in zip(sources, lying, strict=True) if first == most]
    wanted = max(flags, key=flags.count)
    return [
        frame if first == most else replace(frame, source=frame.source.held(wanted))
        for frame, first in zip(frames, lying, strict=True)
    ]


def belong(frames: Sequence[Opened], what: str, one_size: bool = True) -> None:
    """Raises :class:`MergeError` for frames of other files, spaces, cameras or, with ``one_size``, sizes than most of them, and
    for such as are too small to be looked at."""
    first = _like_most(frames, what, one_size)
    for frame in frames:
        if sentence := _misfit(frame, first, what, one_size):
            raise MergeError(f"{frame.name}: {sentence}")


def aside_of(frames: Sequence[Opened], left_out: Collection[int], what: str, one_size: bool = True) -> frozenset[int]:
    """Frames that were left out by hand and do not belong to the others, so that nothing can be told of them; the others
    :func:`belong` together. Raises :class:`MergeError` when they do not."""
    first = _like_most([frame for i, frame in enumerate(frames) if i not in left_out] or frames, what, one_size)
    aside = frozenset(i for i, frame in enumerate(frames) if i in left_out and _misfit(frame, first, what, one_size))
    belong([frame for i, frame in enumerate(frames) if i not in aside], what, one_size)
    return aside


def _like_most(frames: Sequence[Opened], what: str, one_size: bool) -> Opened:
    """The frame to which most of the others belong, the first of such as do alike."""

    def strangers(one: Opened) -> int:
        return sum(1 for frame in frames if _misfit(frame, one, what, one_size))

    return frames[0] if not strangers(frames[0]) else min(frames, key=strangers)


def _misfit(frame: Opened, first: Opened, what: str, one_size: bool) -> str:
    """What keeps a frame from being merged with the first; empty where nothing does."""
    source, other = frame.source, first.source
    size = f"{source.width} x {source.height}"
    if min(source.width, source.height) < LEAST_PX:
        return f"It has {size} pixels; frames of a merge have {LEAST_PX} each way at least."
    if (source.camera is None) != (other.camera is None):
        return f"Camera files and finished pictures do not make one {what}."
    if source.camera is None and source.to_working != other.to_working:
        return f"It is in another colour space than {first.name}."
    if one_size and (source.width, source.height) != (other.width, other.height):
        return f"It has another size than {first.name}: {size} instead of {other.width} x {other.height} pixels."
    if source.camera is not None and other.camera is not None and source.camera.matrices != other.camera.matrices:
        return f"It was taken with another camera than {first.name}."
    return ""
