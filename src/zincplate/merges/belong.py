"""Whether frames can be one merge at all."""

from collections.abc import Sequence
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


def one_way(frames: Sequence[Opened]) -> list[Opened]:
    """Frames of one sensor of which some are told to lie and some to stand, all as most of them are told (the first of two that
    are as many): pointed straight down or up a camera cannot tell how it is held."""
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
    """Raises :class:`MergeError` for frames of other files, spaces, cameras or, with ``one_size``, sizes than the first, and for
    such as are too small to be looked at."""
    first = frames[0].source
    for frame in frames:
        source = frame.source
        if min(source.width, source.height) < LEAST_PX:
            size = f"{source.width} x {source.height} pixels"
            raise MergeError(f"{frame.name}: It has {size}; frames of a merge have {LEAST_PX} each way at least.")
        if (source.camera is None) != (first.camera is None):
            raise MergeError(f"{frame.name}: Camera files and finished pictures do not make one {what}.")
        if source.camera is None and source.to_working != first.to_working:
            raise MergeError(f"{frame.name}: It is in another colour space than {frames[0].name}.")
        if one_size and (source.width, source.height) != (first.width, first.height):
            sizes = f"{source.width} x {source.height} instead of {first.width} x {first.height} pixels"
            raise MergeError(f"{frame.name}: It has another size than {frames[0].name}: {sizes}.")
        if source.camera is not None and first.camera is not None and source.camera.matrices != first.camera.matrices:
            raise MergeError(f"{frame.name}: It was taken with another camera than {frames[0].name}.")
