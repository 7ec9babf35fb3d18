"""Opcode lists (DNG 1.7.1, chapter 7): each step undoes, to the patches, what its own formula did to them."""

import struct
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.reference.files import writer as w
from tests.reference.files.chart import HEIGHT, WIDTH, save, worst_difference
from tests.reference.files.dng_kinds import HALF, LINEAR, Kind
from zincplate.formats.decode import decode, facts
from zincplate.formats.errors import FileError
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.pipeline.framing import framed
from zincplate.recipe.document import Recipe
from zincplate.sources.file import Source
from zincplate.tables.light_plan import plan_of

BAYER = Kind()
FIRST, SECOND, THIRD = 51008, 51009, 51022
BOUND = 0.2


def listed(*steps: tuple[int, bytes], optional: bool = False) -> tuple[int, bytes]:
    """An opcode list; big-endian whatever the file is."""
    body = b"".join(struct.pack(">IIII", number, 0x01030000, int(optional), len(data)) + data for number, data in steps)
    return w.UNDEFINED, struct.pack(">I", len(steps)) + body


def area(top: int = 0, left: int = 0, bottom: int = HEIGHT, right: int = WIDTH, plane: int = 0, planes: int = 1,
         row_pitch: int = 1, column_pitch: int = 1) -> bytes:  # fmt: skip
    """The area that many steps begin with."""
    return struct.pack(">8I", top, left, bottom, right, plane, planes, row_pitch, column_pitch)


def gain_map(gains: NDArray[np.float64], where: bytes) -> bytes:
    """A map over the whole picture: rows and columns of gains from edge to edge."""
    v, h = gains.shape
    head = struct.pack(">II4dI", v, h, 1 / (v - 1), 1 / (h - 1), 0.0, 0.0, 1)
    return where + head + gains.astype(">f4").tobytes()


def smooth_gains(height: int, width: int) -> NDArray[np.float64]:
    """Gain at the middle of each site for corner gains 1.0, 1.2, 1.1, 1.4, bilinear."""
    y, x = (np.arange(height)[:, None] + 0.5) / height, (np.arange(width)[None] + 0.5) / width
    return np.asarray((1.0 * (1 - x) + 1.2 * x) * (1 - y) + (1.1 * (1 - x) + 1.4 * x) * y)


CORNERS = np.array([[1.0, 1.2], [1.1, 1.4]])


def undone(factor: NDArray[np.float64] | float) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
    """Linear values that a step will multiply by ``factor``."""
    return lambda v: np.asarray(v / (factor[..., None] if isinstance(factor, np.ndarray) else factor))


def test_gain_map_on_a_mosaic(tmp_path: Path) -> None:
    kind = BAYER.but(values=undone(smooth_gains(HEIGHT, WIDTH)), tags={SECOND: listed((9, gain_map(CORNERS, area())))})
    decoded = decode(save(tmp_path / "a.dng", kind.write()))
    assert decoded.kind == "mosaic" and worst_difference(decoded) < BOUND
    assert worst_difference(decode(save(tmp_path / "b.dng", kind.but(tags={}).write()))) > 5


def test_gain_map_for_one_site_in_four(tmp_path: Path) -> None:
    def reds_darker(codes: NDArray[Any]) -> NDArray[Any]:
        out = codes.astype(np.float64)
        out[::2, ::2] = (out[::2, ::2] - BAYER.black) / 1.5 + BAYER.black
        return np.rint(out).astype(np.uint16)

    step = (9, gain_map(np.full((2, 2), 1.5), area(row_pitch=2, column_pitch=2)))
    decoded = decode(save(tmp_path / "a.dng", BAYER.but(change=reds_darker, tags={SECOND: listed(step)}).write()))
    assert worst_difference(decoded) < 0.35


def test_gain_map_on_planes(tmp_path: Path) -> None:
    kind = LINEAR.but(values=undone(smooth_gains(HEIGHT, WIDTH)))
    for tag in (SECOND, THIRD):
        step = listed((9, gain_map(CORNERS, area(planes=3))))
        assert worst_difference(decode(save(tmp_path / "a.dng", kind.but(tags={tag: step}).write()))) < BOUND


@pytest.mark.parametrize("pattern", [BAYER.pattern, None], ids=["mosaic", "linear"])
@pytest.mark.parametrize("number", [10, 11, 12, 13])
def test_lines(number: int, pattern: Any, tmp_path: Path) -> None:
    along_rows = number in (10, 12)
    count = HEIGHT if along_rows else WIDTH
    line = np.linspace(0.02, 0.08, count) if number in (10, 11) else np.linspace(1.0, 1.5, count)
    field = line[:, None] * np.ones((1, WIDTH)) if along_rows else np.ones((HEIGHT, 1)) * line[None]
    values = (lambda v: v - field[..., None]) if number in (10, 11) else undone(field)
    # what would be below black cannot be stored: room for it
    kind = BAYER.but(pattern=pattern, values=values, black=4000.0)
    data = area(planes=1 if pattern is not None else 3) + struct.pack(">I", count) + line.astype(">f4").tobytes()
    assert worst_difference(decode(save(tmp_path / "a.dng", kind.but(tags={SECOND: listed((number, data))}).write()))) < 0.3


def test_polynomial_and_table(tmp_path: Path) -> None:
    kind = HALF.but(bits=32, values=np.sqrt)
    polynomial = (8, area(planes=3) + struct.pack(">I3d", 2, 0.0, 0.0, 1.0))
    assert worst_difference(decode(save(tmp_path / "a.dng", kind.but(tags={SECOND: listed(polynomial)}).write()))) < 0.01
    squares = np.rint((np.arange(65536) / 65535) ** 2 * 65535)
    table = (7, area(planes=3) + struct.pack(">I", 65536) + squares.astype(">u2").tobytes())
    assert worst_difference(decode(save(tmp_path / "b.dng", kind.but(tags={SECOND: listed(table)}).write()))) < 0.3
    # before linearisation values count from 0 to 65535
    codes = LINEAR.but(black=0.0, white=65535.0, values=np.sqrt)
    decoded = decode(save(tmp_path / "c.dng", codes.but(tags={FIRST: listed(polynomial)}).write()))
    assert worst_difference(decoded) < 0.3


def defects(codes: NDArray[Any]) -> NDArray[Any]:
    """Dead sites in the middle of patches, one of them a pair, and a dead rectangle."""
    out = codes.copy()
    out[[8, 24, 24, 40], [8, 24, 25, 56]] = 0
    out[6:8, 70:74] = 0
    return out


def test_bad_pixels(tmp_path: Path) -> None:
    plain = decode(save(tmp_path / "a.dng", BAYER.write())).pixels
    constant = listed((4, struct.pack(">II", 0, 0)))
    mended = decode(save(tmp_path / "b.dng", BAYER.but(change=defects, tags={FIRST: constant}).write())).pixels
    assert (mended == plain).all()
    points = struct.pack(">8I", 8, 8, 24, 24, 24, 25, 40, 56)
    named = listed((5, struct.pack(">III", 0, 4, 1) + points + struct.pack(">4I", 6, 70, 8, 74)))
    assert (decode(save(tmp_path / "c.dng", BAYER.but(change=defects, tags={FIRST: named}).write())).pixels == plain).all()


@pytest.mark.parametrize("pattern", [BAYER.pattern, None], ids=["mosaic", "linear"])
def test_trimmed_bounds(pattern: Any, tmp_path: Path) -> None:
    kind = BAYER.but(pattern=pattern, values=lambda v: np.pad(v, ((3, 2), (5, 4), (0, 0)), constant_values=0.9))
    trim = listed((6, struct.pack(">4I", 3, 5, 3 + HEIGHT, 5 + WIDTH)))
    crop = {50719: (w.SHORT, [5, 3]), 50720: (w.SHORT, [WIDTH, HEIGHT])}
    decoded = decode(save(tmp_path / "a.dng", kind.but(tags={SECOND: trim, **crop}).write()))
    assert decoded.pixels.shape[:2] == (HEIGHT, WIDTH) and worst_difference(decoded) < BOUND


# ---- lens -----------------------------------------------------------------------------------------------------------------

RECTILINEAR = (1.02, -0.05, 0.01, 0.0)


def rectilinear(
    *planes: tuple[float, ...], tangential: tuple[float, float] = (0.0, 0.0), centre: tuple[float, float] = (0.5, 0.5)
) -> bytes:
    """Parameters of WarpRectilinear."""
    body = b"".join(struct.pack(">6d", *plane, *tangential) for plane in planes)
    return struct.pack(">I", len(planes)) + body + struct.pack(">2d", *centre)


def spots(width: int = 400, height: int = 300) -> NDArray[np.float64]:
    """Places (n, 2) of spots over the picture, x and y."""
    x, y = np.meshgrid(np.arange(50, width - 40, 60), np.arange(40, height - 30, 55))
    return np.stack([x.ravel(), y.ravel()], 1).astype(np.float64)


def spotted(
    place_in_file: Callable[[NDArray[np.float64], int], NDArray[np.float64]], width: int = 400, height: int = 300
) -> Kind:
    """A linear picture with soft spots where the light of :func:`spots` lies in the file, by plane."""

    def values(_: NDArray[np.float64]) -> NDArray[np.float64]:
        y, x = np.mgrid[0:height, 0:width]
        out = np.full((height, width, 3), 0.05)
        for plane in range(3):
            for px, py in place_in_file(spots(width, height), plane):
                out[..., plane] += 0.6 * np.exp(-((x - px) ** 2 + (y - py) ** 2) / (2 * 2.0**2))
        return out

    return HALF.but(bits=32, values=values, rows_per_strip=height)


def found_spots(planes: NDArray[np.float32]) -> NDArray[np.float64]:
    """(3, n, 2) centroids near each of :func:`spots`."""
    _, height, width = planes.shape
    out = np.empty((3, len(spots(width, height)), 2))
    for i, (x, y) in enumerate(spots(width, height).astype(int)):
        yy, xx = np.mgrid[y - 14 : y + 15, x - 14 : x + 15]
        part = planes[:, y - 14 : y + 15, x - 14 : x + 15]
        weight = np.clip(part - part.min((1, 2), keepdims=True) - 0.02 * np.ptp(part), 0, None)
        out[:, i] = np.stack([(weight * xx).sum((1, 2)), (weight * yy).sum((1, 2))], 1) / weight.sum((1, 2))[:, None]
    return out


def seen(path: Path, recipe: Recipe | None = None) -> NDArray[np.float32]:
    """The whole picture after the frame stage, read place by place."""
    import cv2

    source = Source(decode(path))
    recipe = recipe or Recipe.neutral(raw=True)
    frame = framed(source, plan_of(recipe, True, source.as_shot_xy).frame, LensDatabase())
    planes = source.window(0, 0, source.width, source.height)
    y, x = np.mgrid[0 : source.height, 0 : source.width].astype(np.float64)
    radius = np.hypot(x - (source.width - 1) / 2, y - (source.height - 1) / 2)
    out = []
    for channel in range(3):
        scale = frame.map.radial.scale_at(radius, channel)
        at_x = (x - (source.width - 1) / 2) * scale + (source.width - 1) / 2
        at_y = (y - (source.height - 1) / 2) * scale + (source.height - 1) / 2
        moved = cv2.remap(planes[channel], at_x.astype(np.float32), at_y.astype(np.float32), cv2.INTER_LANCZOS4)
        out.append(moved * frame.map.radial.gain_at(radius))
    return np.stack(out).astype(np.float32)


def lens_of(
    formula: Callable[[NDArray[np.float64], int], NDArray[np.float64]], centre: tuple[float, float] = (0.5, 0.5)
) -> Callable[..., Any]:
    """Where light lies in the file, when the radius (1 in the farthest corner) is multiplied by ``formula``."""

    def place(points: NDArray[np.float64], plane: int, width: int = 400, height: int = 300) -> NDArray[np.float64]:
        c = np.array([centre[0] * (width - 1), centre[1] * (height - 1)])
        reach = np.hypot(max(c[0], width - 1 - c[0]), max(c[1], height - 1 - c[1]))
        offset = (points - c) / reach
        return np.asarray(c + reach * offset * formula(np.hypot(*offset.T), plane)[:, None])

    return place


def polynomial(k: tuple[float, ...]) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
    """kr0 + kr1 r^2 + kr2 r^4 + kr3 r^6."""
    return lambda r: np.asarray(sum(c * r ** (2 * i) for i, c in enumerate(k)))


BLUE = (1.021, -0.05, 0.01, 0.0)
RED = (1.019, -0.049, 0.01, 0.0)
FISHEYE = (0.98, -0.12, 0.01, 0.0)


def fisheye(r: NDArray[np.float64]) -> NDArray[np.float64]:
    """WarpFisheye's ratio."""
    t = np.arctan(r)
    return np.asarray(sum(k * t ** (2 * i + 1) for i, k in enumerate(FISHEYE)) / r)


LENSES: dict[str, tuple[tuple[int, bytes], Any]] = {
    "one": ((1, rectilinear(RECTILINEAR)), lens_of(lambda r, p: polynomial(RECTILINEAR)(r))),
    "three": (
        (1, rectilinear(RED, RECTILINEAR, BLUE)), lens_of(lambda r, p: polynomial((RED, RECTILINEAR, BLUE)[p])(r)),
    ),
    "off-centre": (
        (1, rectilinear(RECTILINEAR, centre=(0.45, 0.53))), lens_of(lambda r, p: polynomial(RECTILINEAR)(r), (0.45, 0.53)),
    ),
    "fisheye": ((2, struct.pack(">I4d2d", 1, *FISHEYE, 0.5, 0.5)), lens_of(lambda r, p: fisheye(r))),
    "second": (
        (14, struct.pack(">I19d2dI", 1, 1.02, 0.0, -0.05, 0.0, 0.01, *[0.0] * 10, 0.0, 0.0, 0.0, 1.0, 0.5, 0.5, 0)),
        lens_of(lambda r, p: polynomial(RECTILINEAR)(r)),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", LENSES)
def test_the_lens_of_the_file_is_straightened(name: str, tmp_path: Path) -> None:
    step, place = LENSES[name]
    path = save(tmp_path / "a.dng", spotted(place).but(tags={THIRD: listed(step)}).write())
    found = found_spots(seen(path))
    # a fisheye's spots are drawn out towards the corners, which moves their middle a little
    assert np.abs(found - spots()).max() < (0.12 if name == "fisheye" else 0.06)
    assert bool(facts(path)[0].own_lens) == (name != "off-centre")


def test_tangential_terms(tmp_path: Path) -> None:
    t0, t1 = 0.004, -0.003

    def place(points: NDArray[np.float64], plane: int) -> NDArray[np.float64]:
        c = np.array([399 / 2, 299 / 2])
        reach = float(np.hypot(*c))
        x, y = ((points - c) / reach).T
        r2 = x * x + y * y
        dx = x + t0 * 2 * x * y + t1 * (r2 + 2 * x * x)
        dy = y + t1 * 2 * x * y + t0 * (r2 + 2 * y * y)
        return np.asarray(c + reach * np.stack([dx, dy], 1))

    step = listed((1, rectilinear((1.0, 0.0, 0.0, 0.0), tangential=(t0, t1))))
    found = found_spots(seen(save(tmp_path / "a.dng", spotted(place).but(tags={THIRD: step}).write())))
    assert np.abs(found - spots()).max() < 0.06


def test_the_lens_of_the_file_can_be_left_out(tmp_path: Path) -> None:
    step, place = LENSES["one"]
    path = save(tmp_path / "a.dng", spotted(place).but(tags={THIRD: listed(step)}).write())
    left = seen(path, Recipe.neutral(raw=True).with_values({"framing": {"own_lens": "leave"}}))
    assert np.abs(left - Source(decode(path)).window(0, 0, 400, 300)).max() < 1e-6


def test_fall_off_of_the_file(tmp_path: Path) -> None:
    k = (0.5, 0.1, -0.05, 0.02, 0.01)

    def values(v: NDArray[np.float64]) -> NDArray[np.float64]:
        y, x = np.mgrid[0:300, 0:400]
        r2 = (np.hypot(x - 199.5, y - 149.5) / np.hypot(199.5, 149.5)) ** 2
        gain = 1 + sum(c * r2 ** (i + 1) for i, c in enumerate(k))
        return np.asarray(np.repeat((0.4 / gain)[..., None], 3, 2))

    step = (3, struct.pack(">5d2d", *k, 0.5, 0.5))
    kind = HALF.but(bits=32, values=values, rows_per_strip=300)
    for steps, centred in (((step,), True), (((3, struct.pack(">5d2d", *k, 0.5, 0.5)), (1, rectilinear((1.0, 0, 0, 0)))), True)):
        path = save(tmp_path / "a.dng", kind.but(tags={THIRD: listed(*steps)}).write())
        assert bool(facts(path)[0].own_lens) == centred
        planes = seen(path) * np.asarray(decode(path).camera.as_shot_neutral)[:, None, None]  # type: ignore[union-attr]
        assert np.abs(planes / 0.4 - 1).max() < 2e-3


def test_fall_off_after_the_warp_goes_by_the_picture_not_the_file(tmp_path: Path) -> None:
    bent, k = (1.0, -0.15, 0.0, 0.0), (0.8, 0.0, 0.0, 0.0, 0.0)

    def values(_: NDArray[np.float64]) -> NDArray[np.float64]:
        y, x = np.mgrid[0:300, 0:400]
        in_file = np.hypot(x - 199.5, y - 149.5) / np.hypot(199.5, 149.5)
        radius = np.linspace(0, 1.05, 4000)
        in_picture = np.interp(in_file, radius * polynomial(bent)(radius), radius)
        return np.asarray(np.repeat((0.4 / (1 + k[0] * in_picture**2))[..., None], 3, 2))

    steps = listed((1, rectilinear(bent)), (3, struct.pack(">5d2d", *k, 0.5, 0.5)))
    path = save(tmp_path / "a.dng", HALF.but(bits=32, values=values, rows_per_strip=300, tags={THIRD: steps}).write())
    planes = seen(path) * np.asarray(decode(path).camera.as_shot_neutral)[:, None, None]  # type: ignore[union-attr]
    assert np.abs(planes[:, 40:260, 50:350] / 0.4 - 1).max() < 5e-3


def test_a_profile_takes_the_place_of_the_files_own_lens(tmp_path: Path) -> None:
    step, place = LENSES["one"]
    source = Source(decode(save(tmp_path / "a.dng", spotted(place).but(tags={THIRD: listed(step)}).write())))
    lenses = LensDatabase()
    named = lenses.search("50mm f/1.8")[0].id
    for profile, used in (("", "the file"), ("auto", "the file"), (named, named)):
        recipe = Recipe.neutral(raw=True).with_values({"framing": {"lens_profile": profile}})
        assert framed(source, plan_of(recipe, True, source.as_shot_xy).frame, lenses).profile == used


# ---- what cannot be worked ------------------------------------------------------------------------------------------------


def test_unknown_steps(tmp_path: Path) -> None:
    optional = decode(save(tmp_path / "a.dng", BAYER.but(tags={SECOND: listed((77, b"1234"), optional=True)}).write()))
    assert any("number 77" in note for note in optional.notes) and worst_difference(optional) < BOUND
    needed = save(tmp_path / "b.dng", BAYER.but(tags={SECOND: listed((77, b"1234"))}).write())
    for read in (decode, facts):
        with pytest.raises(FileError, match="needed and not known"):
            read(needed)


def test_an_optional_step_that_cannot_be_worked_is_told(tmp_path: Path) -> None:
    step = listed((9, area(bottom=9999) + bytes(80)), optional=True)
    decoded = decode(save(tmp_path / "a.dng", BAYER.but(tags={SECOND: step}).write()))
    assert any("left out: GainMap" in note for note in decoded.notes) and worst_difference(decoded) < BOUND


def test_a_lens_after_trimming_is_about_the_trimmed_middle(tmp_path: Path) -> None:
    step, place = LENSES["one"]
    kind = spotted(place)
    inner = kind.values
    padded = kind.but(
        values=lambda v: np.pad(inner(v), ((0, 40), (30, 0), (0, 0)), mode="edge"),  # type: ignore[misc]
        rows_per_strip=340,
        tags={
            THIRD: listed((6, struct.pack(">4I", 0, 30, 300, 430)), step),
            50719: (w.SHORT, [30, 0]),
            50720: (w.SHORT, [400, 300]),
        },
    )
    path = save(tmp_path / "a.dng", padded.write())
    assert facts(path)[0].own_lens == "" and np.abs(found_spots(seen(path)) - spots()).max() < 0.06


@pytest.mark.parametrize(
    "data",
    [b"\0\0\0\1", struct.pack(">I", 5000), listed((9, area()))[1], listed((9, area(bottom=9999) + bytes(80)))[1],
     listed((12, area() + struct.pack(">I", 3) + bytes(12)))[1], listed((6, struct.pack(">4I", 5, 5, 3, 3)))[1],
     listed((8, area() + struct.pack(">I", 9) + bytes(80)))[1], listed((5, struct.pack(">III", 0, 9999, 0)))[1]],
)  # fmt: skip
def test_steps_that_cannot_be_are_refused(data: bytes, tmp_path: Path) -> None:
    with pytest.raises(FileError, match="list of steps"):
        decode(save(tmp_path / "a.dng", BAYER.but(tags={SECOND: (w.UNDEFINED, data)}).write()))
