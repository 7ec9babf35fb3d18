"""Levels, areas and colour of DNG files: the formulas of the specification (1.7.1, chapters 4 to 6), written out here once
more."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import colour
import numpy as np
import pytest

from tests.reference.files import writer as w
from tests.reference.files.chart import D65, HEIGHT, WIDTH, patches_xyz, save, worst_difference
from tests.reference.files.dng_kinds import HALF, LINEAR, MATRIX, RGGB, WHITE_XYZ, Kind, camera_values, neutral_of
from zincplate.formats.decode import decode, facts
from zincplate.formats.decoded import Decoded
from zincplate.formats.errors import FileError
from zincplate.sources.file import Source

BAYER = Kind()
BOUND = 0.2


def black_by_place(levels: np.ndarray) -> Kind:
    """A black level for each place of a repeating pattern; the scale counts from the highest."""

    def change(codes: np.ndarray) -> np.ndarray:
        rows, columns = np.indices(codes.shape[:2])
        black = levels[rows % levels.shape[0], columns % levels.shape[1]]
        linear = (codes - BAYER.black) / (BAYER.white - BAYER.black)
        return np.rint(linear * (BAYER.white - levels.max()) + black).astype(np.uint16)

    tags = {50713: (w.SHORT, list(levels.shape)), 50714: (w.RATIONAL, [float(v) for v in levels.ravel()])}
    return BAYER.but(change=change, tags=tags)


def deltas(columns: bool, rows: bool) -> Kind:
    """Black that differs by column and by row."""
    by_column, by_row = np.linspace(-300, 1500, WIDTH).round(), np.linspace(900, -100, HEIGHT).round()

    def change(codes: np.ndarray) -> np.ndarray:
        black = np.full(codes.shape, BAYER.black)
        top = BAYER.black
        if columns:
            black, top = black + by_column, top + by_column.max()
        if rows:
            black, top = black + by_row[:, None], top + by_row.max()
        linear = (codes - BAYER.black) / (BAYER.white - BAYER.black)
        return np.rint(linear * (BAYER.white - top) + black).astype(np.uint16)

    tags: dict[int, tuple[int, Any]] = {}
    if columns:
        tags[50715] = (w.SRATIONAL, [float(v) for v in by_column])
    if rows:
        tags[50716] = (w.SRATIONAL, [float(v) for v in by_row])
    return BAYER.but(change=change, tags=tags)


def tabled(length: int = 4096) -> Kind:
    """Codes are square roots; a table makes them linear."""
    table = np.rint((np.arange(length) / (length - 1)) ** 2 * 65000).astype(int)

    def change(codes: np.ndarray) -> np.ndarray:
        linear = np.clip((codes - BAYER.black) / (BAYER.white - BAYER.black), 0, 1)
        return np.searchsorted(table, linear * 65000).astype(np.uint16)

    return BAYER.but(change=change, tags={50712: (w.SHORT, [int(v) for v in table]), 50714: (w.SHORT, 0), 50717: (w.LONG, 65000)})


def by_plane() -> Kind:
    """Linear RGB whose planes have levels of their own."""
    black, white = np.array([100.0, 200.0, 300.0]), np.array([9000, 12000, 15000])

    def change(codes: np.ndarray) -> np.ndarray:
        linear = (codes - LINEAR.black) / (LINEAR.white - LINEAR.black)
        return np.rint(linear * (white - black) + black).astype(np.uint16)

    return LINEAR.but(change=change, tags={50714: (w.RATIONAL, [*black]), 50717: (w.LONG, [int(v) for v in white])})


def masked() -> Kind:
    """No black level, but a border that saw no light."""
    change: Callable[[np.ndarray], np.ndarray] = lambda c: c  # noqa: E731
    return BAYER.but(change=change, border=(0, 16, 0, 0), tags={50714: None, 50830: (w.LONG, [0, 0, HEIGHT, 12])})


LEVELS: dict[str, tuple[Kind, float]] = {
    "two-by-two": (black_by_place(np.array([[300.0, 620.0], [530.0, 1160.0]])), BOUND),
    "one-by-two": (black_by_place(np.array([[500.0, 1060.0]])), BOUND),
    "four-by-two": (black_by_place(np.array([[500.0, 520.0], [530.0, 560.0], [400.0, 410.0], [420.0, 430.0]])), BOUND),
    "by-column": (deltas(True, False), BOUND),
    "by-row": (deltas(False, True), BOUND),
    "by-both": (deltas(True, True), BOUND),
    "table": (tabled(), 0.6),
    "by-plane": (by_plane(), BOUND),
    "masked": (masked(), BOUND),
    "no-white": (BAYER.but(white=65535.0, tags={50717: None}), BOUND),
    "no-levels": (BAYER.but(black=0.0, white=65535.0, tags={50717: None, 50714: None}), BOUND),
    "float-levels": (
        HALF.but(bits=32, black=0.1, white=2.1, tags={50714: (w.RATIONAL, [0.1]), 50717: (w.RATIONAL, [2.1])}),
        BOUND,
    ),
}


@pytest.mark.parametrize("name", LEVELS)
def test_levels(name: str, tmp_path: Path) -> None:
    kind, bound = LEVELS[name]
    assert worst_difference(decode(save(tmp_path / "a.dng", kind.write()))) < bound


def test_black_measured_on_the_border_is_told(tmp_path: Path) -> None:
    assert any("masked border" in note for note in decode(save(tmp_path / "a.dng", masked().write())).notes)


def test_every_border_that_saw_no_light_counts(tmp_path: Path) -> None:
    kind = masked().but(tags={50714: None, 50830: (w.LONG, [0, 0, 0, 0, 0, 0, HEIGHT, 12])})
    assert worst_difference(decode(save(tmp_path / "a.dng", kind.write()))) < BOUND


@pytest.mark.parametrize(
    ("crop", "told"),
    [
        ((0.0, 0.0, 1.0, 1.0), False),
        ((0.1, 0.0, 0.9, 1.0), True),
        ((0.5, 0.0, 0.4, 1.0), False),
        ((0.0, 0.0, 1.5, 1.0), False),
        ((0.0, 0.0, 1.0, 1.2), False),
    ],
)
def test_a_crop_that_the_file_wishes_for_is_told(crop: tuple[float, ...], told: bool, tmp_path: Path) -> None:
    notes = decode(save(tmp_path / "a.dng", BAYER.but(tags={51125: (w.RATIONAL, [*crop])}).write())).notes
    assert any("a part of the picture only" in note for note in notes) == told


# ---- areas ----------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("pattern", [RGGB, None], ids=["mosaic", "linear"])
@pytest.mark.parametrize("origin", [(0, 0), (3, 5), (8, 8)])
def test_the_part_to_show(pattern: Any, origin: tuple[int, int], tmp_path: Path) -> None:
    x, y = origin
    kind = BAYER.but(
        pattern=pattern,
        values=lambda v: np.pad(v, ((y, 4), (x, 6), (0, 0)), constant_values=0.9),
        tags={50719: (w.RATIONAL, [float(x), float(y)]), 50720: (w.RATIONAL, [float(WIDTH), float(HEIGHT)])},
    )
    decoded = decode(save(tmp_path / "a.dng", kind.write()))
    assert decoded.pixels.shape[:2] == (HEIGHT, WIDTH)
    assert worst_difference(decoded) < BOUND


def test_a_part_outside_is_told(tmp_path: Path) -> None:
    kind = BAYER.but(tags={50719: (w.SHORT, [60, 0]), 50720: (w.SHORT, [90, 64])})
    decoded = decode(save(tmp_path / "a.dng", kind.write()))
    assert decoded.pixels.shape == (HEIGHT, WIDTH)
    assert any("outside" in note for note in decoded.notes)


def test_pixels_that_are_not_square(tmp_path: Path) -> None:
    kind = LINEAR.but(values=lambda v: v[:, ::2], tags={50718: (w.RATIONAL, [2.0, 1.0])})
    path = save(tmp_path / "a.dng", kind.write())
    decoded = decode(path)
    assert decoded.pixels.shape[:2] == (HEIGHT, WIDTH) and worst_difference(decoded) < 0.6
    assert facts(path)[0].width == WIDTH and any("square" in n for n in decoded.notes)


def test_the_raw_picture_is_found_among_others(tmp_path: Path) -> None:
    small = w.Directory({256: (w.LONG, 8), 257: (w.LONG, 8), 258: (w.SHORT, 8), 259: (w.SHORT, 1), 262: (w.SHORT, 1),
                         277: (w.SHORT, 1), 278: (w.LONG, 8), 254: (w.LONG, 1)}, pieces=[bytes(64)])  # fmt: skip
    mask = w.Directory({**small.tags, 254: (w.LONG, 4), 262: (w.SHORT, 34892)}, pieces=[bytes(64)])

    def wrap(raw: w.Directory) -> tuple[w.Directory, ...]:
        own = {254, 256, 257, 258, 259, 262, 277, 278, 284, 317, 33421, 33422, 50710, 50711, 50714, 50717}
        inner = w.Directory({t: v for t, v in raw.tags.items() if t in own}, pieces=raw.pieces)
        main = w.Directory({**{t: v for t, v in raw.tags.items() if t not in own}, **small.tags}, pieces=[bytes(64)])
        main.sub = [mask, small, inner]
        return (main,)

    decoded = decode(save(tmp_path / "a.dng", BAYER.but(wrap=wrap).write()))
    assert worst_difference(decoded) < BOUND
    assert any("transparency mask" in note for note in decoded.notes)


# ---- colour ---------------------------------------------------------------------------------------------------------------

A_XY = (0.44757, 0.40745)
SECOND = np.array([[0.95, -0.35, -0.02], [-0.35, 1.15, 0.21], [-0.05, 0.2, 0.5]])
THIRD = np.array([[0.7, -0.2, -0.05], [-0.5, 1.3, 0.25], [-0.1, 0.22, 0.7]])


def rational(values: np.ndarray) -> tuple[int, list[float]]:
    """Matrix entries as a file holds them."""
    return w.SRATIONAL, [float(v) for v in np.ravel(values)]


def under(xy: tuple[float, float]) -> np.ndarray:
    """The patches as they look under a light, by Bradford's adaptation, white Y = 1."""
    source, target = colour.xy_to_XYZ(D65), colour.xy_to_XYZ(xy)
    return np.asarray(colour.chromatic_adaptation(patches_xyz(), source, target, method="Von Kries", transform="Bradford"))


def shot(matrix: np.ndarray, xy: tuple[float, float], tags: dict[int, tuple[int, Any] | None]) -> Kind:
    """Linear floating-point file of the patches under a light, seen by a camera with this matrix."""
    white = matrix @ colour.xy_to_XYZ(xy)
    values = under(xy) @ matrix.T / white.max() * 0.8
    return HALF.but(
        bits=32,
        values=lambda v: np.repeat(np.repeat(values.reshape(4, 6, 3), 16, 0), 16, 1),
        tags={50728: (w.RATIONAL, [float(v) for v in white / white.max()]), **tags},
    )


def test_two_illuminants_are_mixed_by_reciprocal_temperature(tmp_path: Path) -> None:
    for xy in (A_XY, D65, (0.3804, 0.3768)):  # A, D65, 4000 K of daylight (CIE 15)
        kelvin = {A_XY: 2856.0, D65: 6504.0}.get(xy, 4000.0)
        share = (1 / kelvin - 1 / 6504) / (1 / 2856 - 1 / 6504)
        matrix = share * SECOND + (1 - share) * MATRIX
        tags: dict[int, tuple[int, Any] | None] = {
            50721: rational(SECOND), 50778: (w.SHORT, 17), 50722: rational(MATRIX), 50779: (w.SHORT, 21),
        }  # fmt: skip
        assert worst_difference(decode(save(tmp_path / "a.dng", shot(matrix, xy, tags).write()))) < 0.15


def test_three_illuminants_are_exact_at_each(tmp_path: Path) -> None:
    tags: dict[int, tuple[int, Any] | None] = {
        50721: rational(SECOND), 50778: (w.SHORT, 17), 50722: rational(MATRIX), 50779: (w.SHORT, 21),
        52531: rational(THIRD), 52529: (w.SHORT, 255), 52535: (w.UNDEFINED, _xy_data((0.36, 0.34))),
    }  # fmt: skip
    for matrix, xy in ((SECOND, A_XY), (MATRIX, D65), (THIRD, (0.36, 0.34))):
        assert worst_difference(decode(save(tmp_path / "a.dng", shot(matrix, xy, tags).write()))) < 0.3


def _xy_data(xy: tuple[float, float]) -> bytes:
    import struct

    return struct.pack("<H4I", 0, round(xy[0] * 10000), 10000, round(xy[1] * 10000), 10000)


def test_an_illuminant_by_its_chromaticity(tmp_path: Path) -> None:
    tags: dict[int, tuple[int, Any] | None] = {50778: (w.SHORT, 255), 52533: (w.UNDEFINED, _xy_data(D65))}
    assert worst_difference(decode(save(tmp_path / "a.dng", shot(MATRIX, D65, tags).write()))) < BOUND
    with pytest.raises(FileError, match="other"):
        decode(save(tmp_path / "b.dng", shot(MATRIX, D65, {50778: (w.SHORT, 255)}).write()))


def test_calibration_of_this_camera_counts_when_the_signatures_agree(tmp_path: Path) -> None:
    own = np.array([[1.1, 0.02, 0.0], [0.01, 0.97, 0.02], [0.0, -0.01, 1.05]])
    tags: dict[int, tuple[int, Any] | None] = {50723: rational(own), 50931: (w.ASCII, "press"), 50932: (w.ASCII, "press")}
    assert worst_difference(decode(save(tmp_path / "a.dng", shot(own @ MATRIX, D65, tags).write()))) < BOUND
    other = {**tags, 50932: (w.ASCII, "another")}
    assert worst_difference(decode(save(tmp_path / "b.dng", shot(MATRIX, D65, other).write()))) < BOUND


def test_analogue_balance(tmp_path: Path) -> None:
    gains = np.diag([1.2, 1.0, 0.8])
    tags: dict[int, tuple[int, Any] | None] = {50727: (w.RATIONAL, [1.2, 1.0, 0.8])}
    assert worst_difference(decode(save(tmp_path / "a.dng", shot(gains @ MATRIX, D65, tags).write()))) < BOUND


def test_forward_matrices_take_balanced_values_to_d50(tmp_path: Path) -> None:
    forward = np.array([[0.6, 0.25, 0.1142], [0.25, 0.75, 0.0], [0.02, 0.1, 0.7049]])  # rows add up to D50
    kind = shot(MATRIX, D65, {50964: rational(forward)})
    balanced = camera_values() / neutral_of(MATRIX) / 0.8
    d50 = balanced @ forward.T
    expected = colour.chromatic_adaptation(
        d50, colour.xy_to_XYZ((0.34567, 0.3585)), colour.xy_to_XYZ(D65), method="Von Kries", transform="Bradford"
    )
    assert worst_difference(decode(save(tmp_path / "a.dng", kind.write())), np.asarray(expected)) < BOUND


def test_the_light_as_chromaticity(tmp_path: Path) -> None:
    tags: dict[int, tuple[int, Any] | None] = {50728: None, 50729: (w.RATIONAL, [*D65])}
    assert worst_difference(decode(save(tmp_path / "a.dng", LINEAR.but(tags=tags).write()))) < BOUND
    decoded = decode(save(tmp_path / "b.dng", LINEAR.but(tags={50728: None}).write()))
    assert any("no white balance" in note for note in decoded.notes)


def test_baseline_exposure_and_its_offset(tmp_path: Path) -> None:
    tags = {50730: (w.SRATIONAL, [1.0]), 51109: (w.SRATIONAL, [-0.5])}
    decoded = decode(save(tmp_path / "a.dng", LINEAR.but(tags=tags).write()))
    assert worst_difference(decoded, patches_xyz() * 2**0.5) < BOUND


def test_a_sensor_without_colours(tmp_path: Path) -> None:
    kind = LINEAR.but(values=lambda v: v[..., 1:2], tags={50721: None, 50728: None})
    decoded = decode(save(tmp_path / "a.dng", kind.write()))
    grey = camera_values()[:, 1:2] / 0.8 * WHITE_XYZ
    assert worst_difference(decoded, grey) < BOUND
    assert any("no colours" in note for note in decoded.notes)


def test_parts_of_the_profile_that_are_not_used_are_told(tmp_path: Path) -> None:
    tags = {50940: (w.FLOAT, [0.0, 0.0, 1.0, 1.0]), 50982: (w.FLOAT, [0.0, 1.0, 1.0])}
    decoded = decode(save(tmp_path / "a.dng", LINEAR.but(tags=tags).write()))
    assert any("a look table and a tone curve" in note for note in decoded.notes)


def sensor_values(decoded: Decoded) -> np.ndarray:
    """Whole picture (3, h, w)."""
    source = Source(decoded)
    return source.window(0, 0, source.width, source.height)
