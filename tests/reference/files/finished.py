"""The patches as finished pictures hold them: encoded in a space, as codes, with the XYZ that those codes are; shared writers."""

import io
from collections.abc import Callable
from typing import Any

import colour
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from tests.reference.files import writer as w
from tests.reference.files.chart import D65, HEIGHT, WHITE, WIDTH, patches_xyz, picture
from zincplate.core.colour.colour_spaces import REC2020, SPACES

Float64 = NDArray[np.float64]


def linear(space: str = "srgb") -> Float64:
    """(24, 3) linear values of the patches in a space, WHITE for white; some lie outside sRGB a little."""
    rgb = patches_xyz() @ REC2020.from_xyz.T @ SPACES[space].from_working.T * WHITE
    return np.asarray(np.clip(rgb, 0, 1))


def encoded(space: str = "srgb") -> Float64:
    """The same by the space's own curve."""
    return np.asarray(SPACES[space].transfer.encode(linear(space)))


def as_codes(values: Float64, bits: int = 8) -> NDArray[Any]:
    """(24, n) -> (h, w, n) whole numbers."""
    kind = np.uint8 if bits <= 8 else np.uint16 if bits <= 16 else np.uint32
    return np.rint(picture(values) * (2.0**bits - 1)).astype(kind)


def seen(linear_rgb: Float64, space: str = "srgb") -> Float64:
    """(24, 3) XYZ that linear values of a space are, white 1."""
    return np.asarray(linear_rgb / WHITE @ SPACES[space].to_working.T @ REC2020.to_xyz.T)


def expected(space: str = "srgb", bits: int = 8) -> Float64:
    """XYZ of the patches as rounded to codes."""
    codes = np.rint(encoded(space) * (2.0**bits - 1)) / (2.0**bits - 1)
    return seen(SPACES[space].transfer.decode(codes), space)


GREY = np.clip(patches_xyz()[:, 1:2] * WHITE, 0, 1)


def grey_seen(linear_grey: Float64) -> Float64:
    """XYZ of neutral light."""
    return np.asarray(linear_grey / WHITE * np.array([D65[0] / D65[1], 1.0, (1 - sum(D65)) / D65[1]]))


def tiff(codes: NDArray[Any], **how: Any) -> bytes:
    """Written by tifffile."""
    out = io.BytesIO()
    with tifffile.TiffWriter(out, bigtiff=how.pop("bigtiff", False), byteorder=how.pop("byteorder", "<")) as file:
        file.write(codes, **how)
    return out.getvalue()


def tiff_of_pillow(**how: Any) -> bytes:
    """Written by Pillow and libtiff."""
    out = io.BytesIO()
    Image.fromarray(as_codes(encoded())).save(out, "TIFF", **how)
    return out.getvalue()


def own_tiff(pieces: list[bytes], tags: dict[int, tuple[int, Any]], order: str = "<") -> bytes:
    """Written tag by tag."""
    base = {256: (w.LONG, WIDTH), 257: (w.LONG, HEIGHT), 259: (w.SHORT, 1), 278: (w.LONG, HEIGHT), 284: (w.SHORT, 1)}
    return w.structure(w.Directory({**base, **tags}, pieces=pieces), order=order)


def grey_rounded(bits: int) -> Float64:
    """XYZ of the greys at so many bits."""
    top = 2.0**bits - 1
    return grey_seen(SPACES["srgb"].transfer.decode(np.rint(SPACES["srgb"].transfer.encode(GREY) * top) / top))


def pq(values: Float64) -> Float64:
    """Inverse of ST 2084, from reference whites of 203 cd/m2."""
    return np.asarray(colour.models.eotf_inverse_ST2084(values * 203))


Made = Callable[[], bytes]
EIGHT, SIXTEEN = expected(), expected(bits=16)
