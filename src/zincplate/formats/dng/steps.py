"""What a DNG file asks to be done with its pixels: its three lists of opcodes, sorted by where they are worked."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.formats.dng import opcodes
from zincplate.formats.dng.opcodes import Opcode, OpcodeError, Vignette, Warp
from zincplate.formats.errors import FileError
from zincplate.formats.tags import Directory

Samples = NDArray[Any]
_LISTS = (51008, 51009, 51022)
_MIDDLE_PX = 0.51
"""An optical centre this near to the middle of the picture is there."""


@dataclass(frozen=True)
class Steps:
    """Opcodes before and after linearisation, those after demosaicing that need planes, and the lens that is corrected later."""

    raw: tuple[Opcode, ...] = ()
    linear: tuple[Opcode, ...] = ()
    planes: tuple[Opcode, ...] = ()
    lens: tuple[Opcode, ...] = ()
    """Warp and vignettes about the middle, at the end of the third list: worked with the one resampling."""
    notes: tuple[str, ...] = ()


def steps_of(path: Path, image: Directory, middle_x: float, middle_y: float, width: int, height: int) -> Steps:
    """The steps for an active area of ``width`` x ``height`` whose shown part has its middle there; raises ``FileError``."""
    lists, notes = [], []
    for tag in _LISTS:
        if tag in image.unread:
            raise FileError(path, "The file's list of steps lies outside the file.")
        try:
            found, unknown = opcodes.parse(image.data(tag))
        except OpcodeError as error:
            raise told(path, error) from error
        lists.append(found)
        if unknown:
            notes.append(f"Steps that the file allows to leave out were left out: {', '.join(unknown)}.")
    third = list(lists[2])
    lens: list[Opcode] = []
    # a trimmed picture has another middle and other corners: its warps are worked where they stand
    trimmed = any(o.number == opcodes.TRIM for found in lists[1:] for o in found)
    while third and not trimmed and _about_the_middle(path, third[-1], middle_x, middle_y, width, height):
        if third[-1].number in opcodes.WARPS and any(o.number in opcodes.WARPS for o in lens):
            break
        lens.insert(0, third.pop())
    return Steps(tuple(lists[0]), tuple(lists[1]), tuple(third), tuple(lens), tuple(notes))


def told(path: Path, error: OpcodeError) -> FileError:
    """The sentence of an :class:`OpcodeError`."""
    return FileError(path, f"The file's list of steps {error}.")


def _about_the_middle(path: Path, opcode: Opcode, x: float, y: float, width: int, height: int) -> bool:
    try:
        if opcode.number in opcodes.WARPS:
            found: Warp | Vignette = opcodes.warp_of(opcode)
            if isinstance(found, Warp) and (not found.radial or len(found.coefficients) == 4):
                return False
        elif opcode.number == opcodes.VIGNETTE:
            found = opcodes.vignette_of(opcode)
        else:
            return False
    except OpcodeError as error:
        raise told(path, error) from error
    cx, cy, _ = opcodes.centre_and_reach(found.centre, width, height)
    return abs(cx - x) <= _MIDDLE_PX and abs(cy - y) <= _MIDDLE_PX


def work_list(
    path: Path,
    listed: tuple[Opcode, ...],
    samples: Samples,
    top_value: float,
    cfa: NDArray[np.int64] | None,
    notes: list[str],
) -> tuple[Samples, tuple[int, int]]:
    """All steps of a list in order; (h, w, n) -> the samples and where their first one was (rows and columns trimmed away).

    One that may be left out and cannot be worked is left out, with a note; a needed one raises ``FileError``.
    """
    moved = (0, 0)
    for opcode in listed:
        before = samples.shape
        try:
            if opcode.number in opcodes.WARPS:
                samples = opcodes.warped(samples.astype(np.float32, copy=False), opcodes.warp_of(opcode))
            elif opcode.number == opcodes.VIGNETTE:
                samples = samples.astype(np.float32, copy=False)
                opcodes.vignetted(samples, opcodes.vignette_of(opcode))
            else:
                samples = opcodes.work(opcode, samples, top_value, cfa)
        except OpcodeError as error:
            if opcode.optional:
                notes.append(f"A step that the file allows to leave out was left out: {opcode.name}; it {error}.")
                continue
            raise told(path, error) from error
        if samples.shape != before:
            top, left = np.frombuffer(opcode.data, ">u4", 2)
            moved = (moved[0] + int(top), moved[1] + int(left))
            if cfa is not None:
                cfa = np.roll(cfa, (-int(top), -int(left)), (0, 1))
    return samples, moved
