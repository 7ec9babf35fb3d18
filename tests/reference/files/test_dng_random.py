"""Random DNG files: whatever tags come together, the patches are right within a bound, or the file is refused with a sentence.

Hypothesis chooses; ``ZINCPLATE_RANDOM_FILES`` sets how many (80 in the tests; a thousand were run when this was written).
"""

import os
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.reference.files import writer as w
from tests.reference.files.chart import HEIGHT, WIDTH, patches_xyz, save, worst_difference
from tests.reference.files.dng_kinds import MATRIX, RGGB, Kind, jpeg_xl, neutral_of
from tests.reference.files.test_dng_levels import A_XY, SECOND, under
from tests.reference.files.test_dng_opcodes import CORNERS, area, gain_map, listed, smooth_gains
from tests.reference.files.test_dng_pixels import SIX, folded, woven
from zincplate.formats.decode import decode, facts

SECOND_LIST, THIRD_LIST = 51009, 51022
PATTERNS: dict[str, Any] = {f"bayer-{i}": np.roll(RGGB, divmod(i, 2), (0, 1)) for i in range(4)}
PATTERNS |= {"linear": None, "six": SIX, "greens-beside": np.array([[1, 1], [0, 2]])}


def coded(kind: Kind, compression: str) -> Kind | None:
    """The kind in a compression; None when the two do not go together."""
    order, bits = kind.order, kind.bits
    plain = bits in (8, 16, 32)
    if kind.floating:
        made = {
            "plain": lambda: kind.but(encode=lambda b: w.stored(b, order)),
            "deflate": lambda: kind.but(compression=8, encode=w.deflated(lambda b: w.stored(b, order))),
            "predictor": lambda: kind.but(compression=8, predictor=3, encode=w.deflated(w.float_differences)),
            "predictor-x2": lambda: kind.but(
                compression=8, predictor=34894, encode=w.deflated(lambda b: w.float_differences(b, 2))
            ),
        }.get(compression)
        return made() if made else None
    step = 1 if kind.pattern is not None else 3
    made = {
        "plain": lambda: kind.but(encode=(lambda b: w.stored(b, order)) if plain else (lambda b: w.packed(b, bits))),
        "deflate": lambda: kind.but(compression=8, encode=w.deflated(lambda b: w.stored(b, order))) if plain else None,
        "lzw": lambda: (
            kind.but(compression=5, encode=lambda b: bytes(imagecodecs.lzw_encode(w.stored(b, order)))) if plain else None
        ),
        "predictor": lambda: (
            kind.but(compression=8, predictor=2, encode=w.deflated(lambda b: w.stored(w.differences(folded(b), step), order)))
            if plain
            else None
        ),
        "lossless-jpeg": lambda: (
            kind.but(compression=7, encode=lambda b: w.lossless_jpeg(folded(b), bits, 2 if kind.pattern is not None else 3))
            if bits <= 16
            else None
        ),
        "jpeg-xl": lambda: kind.but(compression=52546, encode=jpeg_xl) if bits == 16 else None,
    }.get(compression)
    return made() if made else None


@st.composite
def files(draw: st.DrawFn) -> tuple[Kind, float, np.ndarray]:
    """A kind, the bound on dE00, and the XYZ that the patches should have."""
    pattern = PATTERNS[draw(st.sampled_from(sorted(PATTERNS)))]
    floating = draw(st.booleans()) and draw(st.booleans())
    bits = draw(st.sampled_from([16, 32] if floating else [10, 12, 14, 16, 16, 32]))
    tags: dict[int, tuple[int, Any] | None] = {}
    kind = Kind(pattern=pattern, bits=bits, floating=floating, order=draw(st.sampled_from("<>")), big=draw(st.booleans()))
    kind = kind.but(black=0.0, white=1.0) if floating else kind.but(black=float(2**bits // 40), white=float(int(2**bits * 0.93)))
    if draw(st.booleans()):
        kind = kind.but(tile=draw(st.sampled_from([(32, 32), (16, 96), (64, 48)])))
    else:
        kind = kind.but(rows_per_strip=draw(st.sampled_from([HEIGHT, 16, 40])))
    border = draw(st.sampled_from([(0, 0, 0, 0), (0, 0, 0, 0), (2, 4, 0, 6), (3, 5, 1, 1)]))
    values = []
    expected = patches_xyz()
    if draw(st.booleans()):
        exposure = draw(st.sampled_from([-1.0, 0.5, 1.0]))
        tags[50730] = (w.SRATIONAL, [exposure])
        expected = expected * 2**exposure
    if draw(st.booleans()):
        x, y = draw(st.sampled_from([(4, 2), (3, 1), (0, 6)]))
        values.append(lambda v: np.pad(v, ((y, 2), (x, 4), (0, 0)), mode="edge"))
        tags |= {50719: (w.SHORT, [x, y]), 50720: (w.SHORT, [WIDTH, HEIGHT])}
        height, width = HEIGHT + y + 2, WIDTH + x + 4
    else:
        height, width = HEIGHT, WIDTH
    if draw(st.booleans()):
        planes = 3 if pattern is None else 1
        values.append(lambda v: v / smooth_gains(height, width)[..., None])
        where = SECOND_LIST if pattern is not None else draw(st.sampled_from([SECOND_LIST, THIRD_LIST]))
        tags[where] = listed((9, gain_map(CORNERS, area(bottom=height, right=width, planes=planes))))
    white_xy = draw(st.sampled_from(["neutral", "xy", "two"]))
    if white_xy == "xy":
        tags |= {50728: None, 50729: (w.RATIONAL, [0.3127, 0.3290])}
    elif white_xy == "two":
        tags |= {50722: (w.SRATIONAL, [float(v) for v in SECOND.ravel()]), 50779: (w.SHORT, 17)}
    if draw(st.booleans()):
        gains = np.array([1.0, 1.3, 0.9])
        kind = kind.but(matrix=np.diag(gains) @ MATRIX)
        tags |= {50727: (w.RATIONAL, [*gains]), 50721: (w.SRATIONAL, [float(v) for v in MATRIX.ravel()])}
        if white_xy == "neutral":
            tags[50728] = (w.RATIONAL, [float(v) for v in neutral_of(kind.matrix)])
    changes = []
    if not floating and draw(st.booleans()):
        by_column = np.linspace(-1, 1, width).round() * (kind.white / 400)
        by_column = by_column.round()
        top = kind.black + by_column.max()

        def by_columns(codes: np.ndarray) -> np.ndarray:
            out = codes.astype(np.float64)
            active = out[border[0] : out.shape[0] - border[2], border[1] : out.shape[1] - border[3]]
            shape = (1, -1, 1) if out.ndim == 3 else (1, -1)
            linear = (active - kind.black) / (kind.white - kind.black)
            active[...] = linear * (kind.white - top) + kind.black + by_column.reshape(shape)
            return np.rint(np.clip(out, 0, 2.0**bits - 1)).astype(codes.dtype)

        changes.append(by_columns)
        tags[50715] = (w.SRATIONAL, [(int(v), 1) for v in by_column])
    if draw(st.booleans()):
        changes.append(lambda c: woven(c, 2, 1))
        tags[50975] = (w.SHORT, 2)

    def change(codes: np.ndarray) -> np.ndarray:
        for one in changes:
            codes = one(codes)
        return codes

    def value(v: np.ndarray) -> np.ndarray:
        for one in values:
            v = one(v)
        return v

    tags[274] = (w.SHORT, draw(st.integers(1, 8)))
    kind = kind.but(border=border, tags=tags, values=value, change=change)
    ways = ["plain", "deflate", "lzw", "predictor", "predictor-x2", "lossless-jpeg", "jpeg-xl"]
    ways = [name for name in ways if coded(kind, name) is not None]
    if width % 2 or (border[1] + border[3]) % 2:
        ways = [name for name in ways if name != "lossless-jpeg"] if kind.tile is None else ways
    found = coded(kind, draw(st.sampled_from(ways)))
    assert found is not None
    # coarse codes, what the neighbouring patches give to sites of wide patterns, and the slopes of gains at each patch
    bound = 0.5 + {10: 5.0, 12: 1.2, 14: 0.3}.get(bits, 0.0) + (0.4 if pattern is SIX else 0.0)
    return found, bound, expected


@given(files())
@settings(
    max_examples=int(os.environ.get("ZINCPLATE_RANDOM_FILES", "80")),
    deadline=None,
    derandomize=True,
    suppress_health_check=list(HealthCheck),
)
def test_right_whatever_comes_together(case: tuple[Kind, float, np.ndarray]) -> None:
    kind, bound, expected = case
    with tempfile.TemporaryDirectory() as folder:
        path = save(Path(folder) / "a.dng", kind.write())
        decoded = decode(path)
        orientation = decoded.capture.orientation
        decoded = replace(decoded, capture=replace(decoded.capture, orientation=1))
        assert decoded.pixels.shape[:2] == (HEIGHT, WIDTH)
        assert worst_difference(decoded, expected) < bound
        size = (WIDTH, HEIGHT) if orientation < 5 else (HEIGHT, WIDTH)
        capture, _ = facts(path)
        assert (capture.width, capture.height) == size


def test_the_bound_would_notice() -> None:
    # the light of another illuminant, a stop, or a tenth of the range of black are far outside
    assert under(A_XY).shape == (24, 3)
    kind = Kind(tags={50730: (w.SRATIONAL, [0.25])})
    with tempfile.TemporaryDirectory() as folder:
        decoded = decode(save(Path(folder) / "a.dng", kind.write()))
    assert worst_difference(decoded) > 2
