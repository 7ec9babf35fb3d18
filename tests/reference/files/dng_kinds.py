"""Kinds of DNG files (specification 1.7.1), each written from the same 24 patches by its own rules."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from tests.reference.files import writer as w
from tests.reference.files.chart import D65, HEIGHT, WHITE, patches_xyz, picture

Float64 = NDArray[np.float64]
MATRIX = np.array([[0.82, -0.24, -0.06], [-0.42, 1.21, 0.22], [-0.07, 0.18, 0.61]])
"""XYZ -> camera, made up; the camera is exact, so that the formulas of the specification must give the chart."""
WHITE_XYZ = np.array([D65[0] / D65[1], 1.0, (1 - sum(D65)) / D65[1]])


def neutral_of(matrix: Float64) -> Float64:
    """Camera values of D65 white, largest 1."""
    found = matrix @ WHITE_XYZ
    return np.asarray(found / found.max())


def camera_values(matrix: Float64 = MATRIX) -> Float64:
    """(24, n) camera values of the patches; white is at WHITE of the channel that clips first."""
    return np.asarray(patches_xyz() @ matrix.T / (matrix @ WHITE_XYZ).max() * WHITE)


def mosaic(
    values: Float64, pattern: NDArray[np.int64], top: int = 0, left: int = 0, border: tuple[int, int, int, int] = (0, 0, 0, 0)
) -> Float64:
    """(h, w, n) -> sites; the pattern begins ``border`` (top, left) sites in; borders (top, left, bottom, right) are black."""
    height, width = values.shape[:2]
    rows = (np.arange(height) + top) % pattern.shape[0]
    columns = (np.arange(width) + left) % pattern.shape[1]
    planes = pattern[rows][:, columns]
    sites = np.take_along_axis(values, planes[..., None], 2)[..., 0]
    return np.pad(sites, ((border[0], border[2]), (border[1], border[3])))


RGGB = np.array([[0, 1], [1, 2]])


@dataclass
class Kind:
    """How one file is written. Values 0 to 1 become codes by ``black`` and ``white``, then ``encode`` writes pieces."""

    pattern: NDArray[np.int64] | None = field(default_factory=lambda: RGGB)
    matrix: Float64 = field(default_factory=lambda: MATRIX)
    bits: int = 16
    black: float = 512.0
    white: float = 15000.0
    floating: bool = False
    order: str = "<"
    big: bool = False
    compression: int = 1
    predictor: int = 1
    tile: tuple[int, int] | None = None
    rows_per_strip: int = HEIGHT
    border: tuple[int, int, int, int] = (0, 0, 0, 0)
    encode: Callable[[NDArray[Any]], bytes] | None = None
    tags: dict[int, tuple[int, Any] | None] = field(default_factory=dict)
    change: Callable[[NDArray[Any]], NDArray[Any]] | None = None
    """Done to the codes before they are written."""
    values: Callable[[Float64], Float64] | None = None
    """Done to the linear values (h, w, n) of the whole picture first."""
    planar: bool = False
    wrap: Callable[[w.Directory], tuple[w.Directory, ...]] | None = None

    @property
    def dtype(self) -> np.dtype[Any]:
        """Of the codes."""
        if self.floating:
            return np.dtype(np.float16 if self.bits == 16 else np.float32)
        return np.dtype(np.uint8 if self.bits <= 8 else np.uint16 if self.bits <= 16 else np.uint32)

    def but(self, **changes: Any) -> "Kind":
        """Another kind that differs in these."""
        return replace(self, **changes)

    def codes(self) -> NDArray[Any]:
        """Samples as stored, before they are cut and coded."""
        values = picture(camera_values(self.matrix))
        if self.values is not None:
            values = self.values(values)
        if self.pattern is not None:
            values = mosaic(values, self.pattern, border=self.border)
        elif any(self.border):
            values = np.pad(values, ((self.border[0], self.border[2]), (self.border[1], self.border[3]), (0, 0)))
        codes = values * (self.white - self.black) + self.black
        codes = codes if self.floating else np.clip(np.rint(codes), 0, 2**self.bits - 1)
        codes = codes.astype(self.dtype)
        return codes if self.change is None else self.change(codes)

    def expected_xyz(self) -> Float64:
        """(24, 3) XYZ of the patches as rounded to codes, by the matrices and levels alone."""
        values = camera_values(self.matrix)
        if not self.floating:
            codes = np.clip(np.rint(values * (self.white - self.black) + self.black), 0, 2**self.bits - 1)
            values = (codes - self.black) / (self.white - self.black)
        else:
            values = values.astype(self.dtype).astype(np.float64)
        return np.asarray(values * (self.matrix @ WHITE_XYZ).max() / WHITE @ np.linalg.pinv(self.matrix).T)

    def write(self) -> bytes:
        """The file."""
        codes = self.codes()
        if codes.ndim == 3 and codes.shape[2] == 1:
            codes = codes[..., 0]
        encode = self.encode or (lambda block: w.stored(block, self.order))
        height, width = (self.tile[0], self.tile[1]) if self.tile else (self.rows_per_strip, None)
        samples = 1 if codes.ndim == 2 else codes.shape[2]
        pieces = w.cut(codes, encode, height, width)
        if self.planar:
            pieces = [piece for n in range(samples) for piece in w.cut(codes[..., n], encode, height, width)]
        raw = w.Directory(pieces=pieces, tiled=self.tile is not None)
        tags: dict[int, tuple[int, Any] | None] = {
            254: (w.LONG, 0), 256: (w.LONG, codes.shape[1]), 257: (w.LONG, codes.shape[0]), 258: (w.SHORT, [self.bits] * samples),
            259: (w.SHORT, self.compression), 262: (w.SHORT, 34892 if self.pattern is None else 32803), 277: (w.SHORT, samples),
            284: (w.SHORT, 2 if self.planar else 1),
            274: (w.SHORT, 1), 271: (w.ASCII, "Pennick"), 
            272: (w.ASCII, "Pennick Test 9"), 50706: (w.BYTE, [1, 7, 1, 0]), 50707: (w.BYTE, [1, 4, 0, 0]),
            50708: (w.ASCII, "Pennick Test 9"),
            50721: (w.SRATIONAL, [float(v) for v in self.matrix.ravel()]), 50778: (w.SHORT, 21),
            50728: (w.RATIONAL, [float(v) for v in neutral_of(self.matrix)]),
            50714: (w.RATIONAL, [self.black]), 50717: (w.LONG, [round(self.white)] * samples),
        }  # fmt: skip
        if self.predictor != 1:
            tags[317] = (w.SHORT, self.predictor)
        if self.floating:
            tags[339] = (w.SHORT, [3] * samples)
        tags |= {322: (w.LONG, width), 323: (w.LONG, height)} if self.tile else {278: (w.LONG, height)}
        if any(self.border):
            top, left, bottom, right = self.border
            tags[50829] = (w.LONG, [top, left, codes.shape[0] - bottom, codes.shape[1] - right])
        if self.pattern is not None:
            tags[33421] = (w.SHORT, list(self.pattern.shape))
            tags[33422] = (w.BYTE, [int(v) for v in self.pattern.ravel()])
            planes = self.matrix.shape[0]
            tags[50710] = (w.BYTE, list(range(planes)))
            tags[50711] = (w.SHORT, 1)
        tags |= self.tags
        raw.tags = {k: v for k, v in tags.items() if v is not None}
        chain = (raw,) if self.wrap is None else self.wrap(raw)
        return w.structure(*chain, order=self.order, big=self.big)


def jpeg_xl(block: NDArray[Any]) -> bytes:
    """Lossless JPEG XL of a grey or colour block."""
    return bytes(imagecodecs.jpegxl_encode(block, lossless=True))


HALF = Kind(bits=16, floating=True, black=0.0, white=1.0, pattern=None, compression=8, predictor=3)
HALF.encode = w.deflated(w.float_differences)
LINEAR = Kind(pattern=None)
