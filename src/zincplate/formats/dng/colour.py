"""Camera colour from the tags of a DNG file (specification 1.7.1, chapters 4 and 6), for one to three illuminants and three or
four
colours."""

import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.camera_colour import ILLUMINANT_KELVIN, Calibration, CameraMatrices
from zincplate.core.colour.colour_spaces import REC2020
from zincplate.core.colour.temperature import temperature_and_tint
from zincplate.formats.decoded import CameraColour
from zincplate.formats.errors import FileError
from zincplate.formats.tags import Directory

Float64 = NDArray[np.float64]
Light = tuple[float, tuple[float, float] | None, int]
"""Kelvin and chromaticity of a calibration illuminant, and which of the three it is."""
_COLOUR, _INDIVIDUAL, _FORWARD = (50721, 50722, 52531), (50723, 50724, 52530), (50964, 50965, 52532)
_ILLUMINANT, _DATA, _REDUCTION = (50778, 50779, 52529), (52533, 52534, 52535), (50725, 50726, 52538)
_NEUTRAL, _WHITE_XY, _ANALOG, _BASELINE, _OFFSET, _NAME = 50728, 50729, 50727, 50730, 51109, 50936
_OTHER = 255
_UNUSED = (
    ((50938, 50939, 52537), "hue and saturation maps"), ((50982,), "a look table"), ((50940,), "a tone curve"),
    ((52525, 52544), "a map of local gains"), ((52543,), "a table of RGB corrections"),
)  # fmt: skip
MONOCHROME = CameraMatrices.plain(tuple(float(v) for v in REC2020.from_xyz.ravel()), 6504.0)


@dataclass(frozen=True)
class Colour:
    """Camera colour, and how the stored colours become the three that are worked with (None: they are)."""

    camera: CameraColour
    reduction: NDArray[np.float32] | None = None
    """(3, 4): balanced stored colours -> balanced colours of the camera in :attr:`camera`."""
    notes: tuple[str, ...] = ()


def _illuminant(path: Path, main: Directory, index: int) -> tuple[float, tuple[float, float] | None, str]:
    """Kelvin and, where given, chromaticity of a calibration illuminant; a note when one had to be assumed."""
    code = main.integer(_ILLUMINANT[index])
    if code == _OTHER:
        data = main.data(_DATA[index])
        if len(data) >= 18 and struct.unpack_from(main.order + "H", data, 0)[0] == 0:
            a, b, c, d = struct.unpack_from(main.order + "4I", data, 2)
            if a and b and c and d:
                xy = (a / b, c / d)
                return temperature_and_tint(xy)[0], xy, ""
        if len(data) >= 22 and struct.unpack_from(main.order + "H", data, 0)[0] == 1:
            return 5003.0, None, "A calibration light is given as a spectrum, which is not used; 5003 K is taken for it."
        raise FileError(path, 'It calls a calibration light "other" and does not say which.')
    if code in ILLUMINANT_KELVIN:
        return ILLUMINANT_KELVIN[code], None, ""
    if code == 0:
        return 5003.0 if index else 6504.0, None, ""
    return 5003.0, None, f"The light of a calibration has the unknown number {code}; 5003 K is taken for it."


def _calibrations(
    path: Path, main: Directory, planes: int
) -> tuple[list[tuple[float, tuple[float, float] | None, int]], list[str]]:
    """Kelvin, chromaticity and index of each colour matrix that is there."""
    found: list[Light] = []
    notes: list[str] = []
    for index, tag in enumerate(_COLOUR):
        matrix = main.numbers(tag)
        if not matrix:
            continue
        if len(matrix) != 3 * planes or not np.isfinite(matrix).all():
            raise FileError(path, f"Its colour matrix has {len(matrix)} numbers for {planes} colours.")
        kelvin, xy, note = _illuminant(path, main, index)
        if any(abs(kelvin - other) < 1 for other, _, _ in found):
            continue
        found.append((kelvin, xy, index))
        if note:
            notes.append(note)
    return found, notes


def _signatures_agree(main: Directory) -> bool:
    """CameraCalibration belongs to the profile when both carry the same signature (empty and missing are the same)."""
    return main.text(50931) == main.text(50932)


def _baseline(main: Directory) -> float:
    total = (main.number(_BASELINE) or 0.0) + (main.number(_OFFSET) or 0.0)
    return total if -16 <= total <= 16 else 0.0


def unused_profile_parts(main: Directory) -> tuple[str, ...]:
    """What the profile in the file holds besides matrices, which is not used."""
    parts = [words for tags, words in _UNUSED if any(tag in main.values for tag in tags)]
    if not parts:
        return ()
    return (
        f"Its camera profile also holds {' and '.join([', '.join(parts[:-1]), parts[-1]] if parts[:-1] else parts)}; not used.",
    )


def monochrome(main: Directory) -> Colour:
    """Of a sensor without colours."""
    return Colour(CameraColour(MONOCHROME, (1.0, 1.0, 1.0), _baseline(main)), notes=("The sensor sees no colours.",))


def camera_colour(path: Path, main: Directory, planes: int) -> Colour | None:
    """Colour of three or four stored colours; None when the file holds no colour matrix. Raises ``FileError``."""
    found, notes = _calibrations(path, main, planes)
    if not found:
        return None
    analog = main.numbers(_ANALOG)
    balance = np.asarray(analog if len(analog) == planes and min(analog) > 0 else (1.0,) * planes)
    agreed = _signatures_agree(main)
    size = planes * planes
    colour: list[Float64] = [np.reshape(main.numbers(_COLOUR[i]), (planes, 3)) for _, _, i in found]
    individual = [
        np.reshape(values, (planes, planes)) if agreed and len(values := main.numbers(_INDIVIDUAL[i])) == size else np.eye(planes)
        for _, _, i in found
    ]
    notes += list(unused_profile_parts(main))
    if planes == 4:
        return _four(path, main, found, colour, individual, balance, tuple(notes))
    forward = [values if len(values := main.numbers(_FORWARD[i])) == 9 else None for _, _, i in found]
    try:
        calibrations = tuple(
            Calibration(
                kelvin,
                tuple(float(v) for v in colour[n].ravel()),
                None if np.allclose(individual[n], np.eye(3)) else tuple(float(v) for v in individual[n].ravel()),
                forward[n],
                xy,
            )
            for n, (kelvin, xy, _) in enumerate(found)
        )
        matrices = CameraMatrices(calibrations, (float(balance[0]), float(balance[1]), float(balance[2])))
    except ValueError as error:
        raise FileError(path, f"Its colour matrix cannot be used: {error}.") from error
    neutral, note = _neutral(path, main, matrices)
    return Colour(CameraColour(matrices, neutral, _baseline(main)), None, (*notes, *note))


def scaled(path: Path, matrices: CameraMatrices, neutral: tuple[float, ...]) -> tuple[float, float, float]:
    """A neutral with its largest value 1; raises ``FileError`` when no light looks like that to this camera."""
    values = np.asarray(neutral, np.float64)
    values = values / values.max()
    try:
        matrices.white_of(values)
    except ValueError as error:
        raise FileError(path, f"Its white balance cannot be used: {error}.") from error
    return float(values[0]), float(values[1]), float(values[2])


def _neutral(path: Path, main: Directory, matrices: CameraMatrices) -> tuple[tuple[float, float, float], tuple[str, ...]]:
    """As-shot neutral by AsShotNeutral, AsShotWhiteXY, or daylight with a note."""
    neutral = main.numbers(_NEUTRAL)
    if len(neutral) == 3 and np.isfinite(neutral).all() and min(neutral) > 0:
        return scaled(path, matrices, neutral), ()
    white = main.numbers(_WHITE_XY)
    if len(white) == 2 and 0.05 < white[0] < 0.8 and 0.05 < white[1] < 0.8:
        return scaled(path, matrices, tuple(float(v) for v in matrices.neutral_of(white))), ()
    daylight = (0.34567, 0.35850)
    note = "The file holds no white balance; daylight (D50) is taken as shot."
    return scaled(path, matrices, tuple(float(v) for v in matrices.neutral_of(daylight))), (note,)


def _four(
    path: Path,
    main: Directory,
    found: list[Light],
    colour: list[Float64],
    individual: list[Float64],
    balance: Float64,
    notes: tuple[str, ...],
) -> Colour:
    """Four colours brought to three: those of a camera whose matrices are the least-squares inverse's (or the file's own
    reduction).

    The three are linear in the stored four, so balance and matrices work on them as on any camera; white stays white.
    """
    to_camera = [np.diag(balance) @ c @ m for c, m in zip(individual, colour, strict=True)]
    neutral = main.numbers(_NEUTRAL)
    if len(neutral) != 4 or min(neutral) <= 0 or not np.isfinite(neutral).all():
        raise FileError(path, "It has four colours and no white balance for them.")
    given = main.numbers(_REDUCTION[found[0][2]])
    values = np.asarray(neutral) / max(neutral)
    # without the file's own: to linear Rec.2020 of the first calibration, by least squares
    reduction = np.reshape(given, (3, 4)) if len(given) == 12 else REC2020.from_xyz @ np.linalg.pinv(to_camera[0])
    reduced = reduction @ values
    if reduced.min() <= 0:
        raise FileError(path, "Its four colours cannot be brought to three with this white balance.")
    reduction = reduction / reduced.max()
    try:
        calibrations = tuple(
            Calibration(kelvin, tuple(float(v) for v in (reduction @ m).ravel()), None, None, xy)
            for (kelvin, xy, _), m in zip(found, to_camera, strict=True)
        )
        matrices = CameraMatrices(calibrations)
    except ValueError as error:
        raise FileError(path, f"Its colour matrix cannot be used: {error}.") from error
    as_shot = scaled(path, matrices, tuple(float(v) for v in reduction @ values))
    # stored values are demosaiced balanced: (4,) ones -> as-shot balanced three
    balanced = (reduction @ np.diag(values)) / (reduction @ values)[:, None]
    note = "The sensor has four colours; they were brought to three."
    return Colour(CameraColour(matrices, as_shot, _baseline(main)), balanced.astype(np.float32), (*notes, note))


def four_neutral(main: Directory) -> Float64:
    """(4,) values of white in the stored colours, largest 1."""
    values = np.asarray(main.numbers(_NEUTRAL))
    return np.asarray(values / values.max())
