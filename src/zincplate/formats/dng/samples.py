"""Stored samples of a DNG image, decoded segment by segment on all cores (TIFF 6.0; DNG 1.7.1, "Compression", "Predictor").

Integers of 8 to 32 bits, packed or not, floating point of 16, 24 and 32 bits, in either byte order; plain, LZW, deflate,
lossless and lossy JPEG, JPEG XL, each with the predictors that go with it; strips or tiles; samples side by side or in planes;
rows and columns interleaved. Nothing is guessed: what does not add up is refused with a sentence.
"""

import mmap
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from zincplate.formats.errors import FileError
from zincplate.formats.tags import Directory

Samples = NDArray[Any]

PLAIN, LZW, OLD_JPEG, JPEG, DEFLATE, OLD_DEFLATE, PACKBITS, LOSSY_JPEG, JPEG_XL = 1, 5, 6, 7, 8, 32946, 32773, 34892, 52546
NAMES = {
    PLAIN: "plain", LZW: "LZW", JPEG: "JPEG", DEFLATE: "deflate", OLD_DEFLATE: "deflate", PACKBITS: "PackBits",
    LOSSY_JPEG: "lossy JPEG", JPEG_XL: "JPEG XL",
}  # fmt: skip
DAMAGED = "A part of the picture data is damaged. Copy it from the card again."
_STEPS = {2: 1, 34892: 2, 34893: 4}
"""Horizontal differences: columns between the samples that are subtracted."""
_FLOAT_STEPS = {3: 1, 34894: 2, 34895: 4}


class UnknownLayout(ValueError):
    """A compression that is not read here, or a camera whose colour the file does not tell: LibRaw may know it."""


@dataclass(frozen=True)
class Layout:
    """How an image is cut into segments."""

    width: int
    height: int
    samples: int
    bits: int
    floating: bool
    signed: bool
    compression: int
    predictor: int
    planar: bool
    tiled: bool
    segment_width: int
    segment_height: int
    offsets: tuple[int, ...]
    counts: tuple[int, ...]
    order: str

    @property
    def dtype(self) -> np.dtype[Any]:
        """Of the decoded samples, native order."""
        if self.floating:
            return np.dtype(np.float16 if self.bits == 16 else np.float32)
        size = 1 if self.bits <= 8 else 2 if self.bits <= 16 else 4
        return np.dtype(f"{'i' if self.signed else 'u'}{size}")


def layout_of(path: Path, image: Directory) -> Layout:
    """The layout, checked; raises ``FileError`` when it contradicts itself and ``UnknownLayout`` when it is of another kind."""
    width, height, samples = image.integer(256), image.integer(257), image.integer(277, 1)
    bits = image.numbers(258) or (1.0,)
    formats = image.numbers(339) or (1.0,)
    if len(set(bits)) > 1 or len(set(formats)) > 1:
        raise FileError(path, "Its pixels hold samples of different kinds.")
    compression = image.integer(259, 1)
    if compression not in NAMES:
        raise UnknownLayout(f"compression {compression}")
    floating, predictor = formats[0] == 3, image.integer(317, 1)
    if predictor not in (1, *(_FLOAT_STEPS if floating else _STEPS)) and compression not in (JPEG, LOSSY_JPEG, JPEG_XL):
        raise FileError(path, f"Its predictor ({predictor}) does not belong to its samples.")
    if formats[0] == 2 and bits[0] not in (8, 16, 32):
        raise FileError(path, "Its samples are signed and packed, which cannot be read.")
    if formats[0] not in (1, 2, 3) or (bits[0] not in (16, 24, 32) if floating else not 1 <= bits[0] <= 32):
        raise FileError(path, f"Its samples have {bits[0]:g} bits of format {formats[0]:g}, which cannot be read.")
    tiled = bool(image.numbers(324))
    offsets = tuple(int(v) for v in (image.numbers(324) if tiled else image.numbers(273)))
    counts = tuple(int(v) for v in (image.numbers(325) if tiled else image.numbers(279)))
    planar = image.integer(284, 1) == 2 and samples > 1
    segment_width = image.integer(322) if tiled else width
    segment_height = image.integer(323) if tiled else min(image.integer(278, height) or height, height)
    if segment_width <= 0 or segment_height <= 0 or samples <= 0 or samples > 8:
        raise FileError(path, "Its tags give no layout of the picture data.")
    if segment_width > 2 * width + 4096 or segment_height > 2 * height + 4096:
        raise FileError(path, "Its tiles are far larger than the picture.")
    across, down = -(-width // segment_width), -(-height // segment_height)
    if len(offsets) != across * down * (samples if planar else 1) or len(counts) != len(offsets):
        raise FileError(path, "Its tags name another number of pieces than the picture has.")
    return Layout(
        width, height, samples, int(bits[0]), floating, formats[0] == 2, compression, predictor, planar, tiled,
        segment_width, segment_height, offsets, counts, image.order,
    )  # fmt: skip


def read_samples(path: Path, image: Directory) -> tuple[Samples, bool]:
    """(h, w) or (h, w, samples) as stored, floating point as float32, and whether values that are no numbers were set to 0.

    Raises ``FileError`` (damaged) or ``UnknownLayout``.
    """
    layout = layout_of(path, image)
    decode = _decoder(layout)
    across, down = -(-layout.width // layout.segment_width), -(-layout.height // layout.segment_height)
    per_segment = 1 if layout.planar else layout.samples
    kept = np.dtype(np.float32) if layout.floating else layout.dtype
    out = np.empty((layout.height, layout.width, layout.samples), kept)
    unreal: list[int] = []

    with open(path, "rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:

        def place(number: int) -> None:
            plane, rest = divmod(number, across * down)
            row, column = divmod(rest, across)
            y, x = row * layout.segment_height, column * layout.segment_width
            rows = layout.segment_height if layout.tiled else min(layout.segment_height, layout.height - y)
            start, count = layout.offsets[number], layout.counts[number]
            if start + count > len(data) or count <= 0:
                raise FileError(path, DAMAGED)
            block = decode(data[start : start + count], rows, per_segment)
            target = out[y : y + rows, x : x + layout.segment_width, plane : plane + 1] if layout.planar else None
            if target is None:
                target = out[y : y + rows, x : x + layout.segment_width]
            target[...] = block[: target.shape[0], : target.shape[1]]
            if layout.floating and not np.isfinite(target).all():
                unreal.append(number)
                target[~np.isfinite(target)] = 0

        try:
            with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
                for _ in pool.map(place, range(len(layout.offsets))):
                    pass
        except (ValueError, RuntimeError, TypeError) as error:  # what imagecodecs raises derives from these
            if isinstance(error, FileError | UnknownLayout):
                raise
            raise FileError(path, DAMAGED) from error
    out = _woven(out, image.integer(50975, 1), 0)
    out = _woven(out, image.integer(52547, 1), 1)
    return (out[..., 0] if layout.samples == 1 else out), bool(unreal)


def _woven(samples: Samples, factor: int, axis: int) -> Samples:
    """Undoes interleaving (RowInterleaveFactor, ColumnInterleaveFactor): field after field is stored, lines 0, n, 2n, ...
    first."""
    if factor <= 1 or factor > samples.shape[axis]:
        return samples
    lines = np.concatenate([np.arange(field, samples.shape[axis], factor) for field in range(factor)])
    out = np.empty_like(samples)
    if axis == 0:
        out[lines] = samples
    else:
        out[:, lines] = samples
    return out


Decode = Callable[[bytes, int, int], Samples]


def _decoder(layout: Layout) -> Decode:
    """What takes the bytes of one segment, its rows and its samples in a pixel to (rows, segment width, samples)."""
    if layout.compression in (JPEG, LOSSY_JPEG):
        return lambda data, rows, samples: _jpeg(layout, data, rows, samples)
    if layout.compression == JPEG_XL:
        return lambda data, rows, samples: _jpeg_xl(layout, data, rows, samples)
    unpack: Callable[[bytes], Any] = {
        PLAIN: lambda data: data,
        LZW: imagecodecs.lzw_decode,
        PACKBITS: imagecodecs.packbits_decode,
    }.get(layout.compression, imagecodecs.zlib_decode)
    return lambda data, rows, samples: _numbers(layout, unpack(data), rows, samples)


def _numbers(layout: Layout, data: Any, rows: int, samples: int) -> Samples:
    """Bytes without their compression -> samples: byte order, packing, predictor."""
    width, bits = layout.segment_width, layout.bits
    shape = (rows, width, samples)
    if layout.floating:
        return _floats(layout, data, shape)
    if bits in (8, 16, 32):
        kind = np.dtype(f"{layout.order}{'i' if layout.signed else 'u'}{bits // 8}")
        count = rows * width * samples
        numbers = np.frombuffer(data, kind, count).reshape(shape)
        numbers = numbers.astype(kind.newbyteorder("="), copy=False)
    else:
        if layout.signed:
            raise ValueError("signed and packed")
        # bits of each row follow each other from the highest on, rows begin with a byte (TIFF 6.0, FillOrder 1)
        length = -(-width * samples * bits // 8)
        packed = np.frombuffer(data, np.uint8, rows * length)
        numbers = imagecodecs.packints_decode(packed.tobytes(), layout.dtype.char, bits, runlen=width * samples)
        numbers = np.asarray(numbers).reshape(shape).astype(layout.dtype, copy=False)
    if layout.predictor in _STEPS and layout.predictor != 1:
        step = _STEPS[layout.predictor]
        if step == 1 and bits in (8, 16, 32):
            return np.asarray(imagecodecs.delta_decode(np.ascontiguousarray(numbers), axis=-2))
        sums = np.array(numbers)
        for first in range(min(step, width)):
            sums[:, first::step] = np.add.accumulate(sums[:, first::step], axis=1, dtype=sums.dtype)
        numbers = sums & ((1 << bits) - 1) if bits not in (8, 16, 32) else sums
    elif layout.predictor != 1:
        raise ValueError("predictor")
    return np.asarray(numbers)


def _floats(layout: Layout, data: Any, shape: tuple[int, int, int]) -> Samples:
    """Floating point of 16, 24 or 32 bits; predictor 3 stores differences of bytes, most significant first (Adobe TIFF
    Technote 3)."""
    rows, width, samples = shape
    size, order = layout.bits // 8, layout.order
    raw = np.frombuffer(data, np.uint8, rows * width * samples * size)
    if layout.predictor in _FLOAT_STEPS:
        step = _FLOAT_STEPS[layout.predictor]
        if size != 3:
            found = imagecodecs.floatpred_decode(raw.view(layout.dtype).reshape(shape), axis=-2, dist=step)
            return np.asarray(found)
        lines = raw.reshape(rows, -1).copy()
        step *= samples
        for first in range(min(step, lines.shape[1])):
            lines[:, first::step] = np.add.accumulate(lines[:, first::step], axis=1, dtype=np.uint8)
        raw = np.ascontiguousarray(np.moveaxis(lines.reshape(rows, size, width * samples), 1, 2)).reshape(-1)
        order = ">"
    elif layout.predictor != 1:
        raise ValueError("predictor")
    if size == 3:
        return _float24(raw.reshape(-1, 3), order).reshape(shape)
    kind = np.dtype(f"{order}f{size}")
    return raw.view(kind).reshape(shape).astype(kind.newbyteorder("="), copy=False)


def _float24(raw: NDArray[np.uint8], order: str) -> NDArray[np.float32]:
    """Sign, 7 bits of exponent (bias 63), 16 of fraction (DNG 1.7.1, "BitsPerSample") -> float32."""
    parts = raw.astype(np.uint32)
    high, middle, low = (parts[:, 0], parts[:, 1], parts[:, 2]) if order == ">" else (parts[:, 2], parts[:, 1], parts[:, 0])
    sign, exponent, fraction = (high >> 7) << 31, high & 0x7F, (middle << 8) | low
    normal = (sign | ((exponent + 64) << 23) | (fraction << 7)).astype(np.uint32).view(np.float32)
    small = np.where(sign > 0, -1.0, 1.0) * fraction.astype(np.float64) * 2.0**-78
    special = (sign | (255 << 23) | (fraction << 7)).astype(np.uint32).view(np.float32)
    return np.where(exponent == 0, small.astype(np.float32), np.where(exponent == 127, special, normal)).astype(np.float32)


def _jpeg(layout: Layout, data: bytes, rows: int, samples: int) -> Samples:
    """JPEG inside: lossless (any number of components, also a mosaic's columns folded into components) or lossy."""
    block = np.asarray(_jpeg_block(data))
    wanted = rows * layout.segment_width * samples
    if block.size < wanted or block.size % (layout.segment_width * samples):
        # a last strip or tile may be stored whole although less of it is needed, never less
        raise ValueError("size")
    if layout.compression == LOSSY_JPEG and block.ndim == 3 and block.shape[2] != samples:
        raise ValueError("components")
    return block.reshape(-1, layout.segment_width, samples)


def _jpeg_block(data: bytes) -> Any:
    """libjpeg-turbo, which knows lossless frames of two to sixteen bits too; other decoders of those fall over damaged data."""
    if not data.rstrip(b"\0\xff")[-1:] or b"\xff\xd9" not in data[-64:]:
        raise ValueError("cut off")
    frame, components = _start_of_frame(data)
    if frame != 0xC3 and components == 3 and not _says_rgb(data):
        return imagecodecs.jpeg8_decode(data, colorspace="YCBCR", outcolorspace="RGB")
    return imagecodecs.jpeg8_decode(data)


def _start_of_frame(data: bytes) -> tuple[int, int]:
    """Kind of the frame (0xC0 baseline, 0xC1 extended, 0xC2 progressive, 0xC3 lossless) and its number of components."""
    place = 2
    while place + 10 <= len(data) and data[place] == 0xFF:
        marker = data[place + 1]
        if marker == 0xFF:
            place += 1
            continue
        if 0xC0 <= marker <= 0xCF and marker not in (0xC4, 0xC8, 0xCC):
            return marker, data[place + 9]
        place += 2 + int.from_bytes(data[place + 2 : place + 4], "big")
    raise ValueError("no frame")


def _says_rgb(data: bytes) -> bool:
    """An Adobe segment with transform 0: the components are as they are."""
    place = data.find(b"\xff\xee\x00\x0eAdobe", 0, 4096)
    return place >= 0 and data[place + 15] == 0


def _jpeg_xl(layout: Layout, data: bytes, rows: int, samples: int) -> Samples:
    block = np.asarray(imagecodecs.jpegxl_decode(data))
    if block.size < rows * layout.segment_width * samples:
        raise ValueError("size")
    if layout.floating != (block.dtype.kind == "f"):
        raise ValueError("kind")
    return block.reshape(-1, layout.segment_width, samples)
