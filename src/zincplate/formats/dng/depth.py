"""The depth map that may lie beside the raw picture (DNG 1.7.1, "Depth Maps": NewSubFileType 8, DepthFormat): a grey picture of
the same frame, 0 nearest, its largest value farthest. How far that is in metres is not used."""

from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from zincplate.formats.dng.samples import UnknownLayout, read_samples
from zincplate.formats.errors import FileError
from zincplate.formats.tags import Directory
from zincplate.formats.tiff_writer import IFD, LONG, RATIONAL, SHORT

Float32 = NDArray[np.float32]

KIND, PHOTOMETRIC = 8, 51177
_FORMAT, _NEAR, _FAR, _UNITS, _MEASURED = 51177, 51178, 51179, 51180, 51181
_ROWS = 128
MOST_LONG_EDGE = 2048
"""A map is as fine as this at most when it is read: areas are looked at more coarsely."""


def depth_image(main: Directory) -> Directory | None:
    """The largest depth map of one sample a pixel that a file names; None without one."""
    found = [d for d in main.all_images() if d.integer(254) == KIND and d.integer(277, 1) == 1]
    return max(found, key=lambda d: d.integer(256) * d.integer(257), default=None)


def read_depth(path: Path, main: Directory) -> tuple[Float32 | None, str]:
    """Depth (h, w) in the sensor's orientation, 0 nearest to 1 farthest, and a sentence when there is one that cannot be read.
    A map that is damaged does not keep the picture from being read."""
    image = depth_image(main)
    if image is None:
        return None, ""
    width, height = image.integer(256), image.integer(257)
    if not 2 <= min(width, height) <= max(width, height) <= 20_000:
        return None, f"Its depth map is {width} x {height} pixels large, which cannot be; it is not used."
    try:
        samples, _ = read_samples(path, image)
    except FileError:
        return None, "Its depth map is damaged and not used."
    except UnknownLayout as error:
        return None, f"Its depth map is stored in a way that cannot be read ({error}); it is not used."
    return _reduced(_scaled(samples, image.integer(258, 8))), ""


def _scaled(samples: NDArray[Any], bits: int) -> Float32:
    if samples.dtype.kind == "f":
        return np.clip(samples, 0, 1).astype(np.float32)
    return np.asarray(np.clip(samples / np.float32(2**bits - 1), 0, 1), np.float32)


def _reduced(depth: Float32) -> Float32:
    step = -(-max(depth.shape) // MOST_LONG_EDGE)
    if step > 1:
        rows, columns = (n // step * step for n in depth.shape)
        depth = depth[:rows, :columns].reshape(rows // step, step, columns // step, step).mean((1, 3))
    return np.ascontiguousarray(depth, np.float32)


def depth_directory(depth: Float32) -> IFD:
    """The directory of a map (h, w), 0..1, as 16 bits: in which steps its depths lie, and how far away, it does not say."""
    codes = np.rint(np.clip(depth, 0, 1) * 65535).astype("<u2")
    height, width = codes.shape
    ifd = IFD()
    ifd.set(254, LONG, KIND).set(256, LONG, width).set(257, LONG, height).set(258, SHORT, 16).set(259, SHORT, 8)
    ifd.set(262, SHORT, PHOTOMETRIC).set(277, SHORT, 1).set(278, LONG, _ROWS).set(284, SHORT, 1).set(317, SHORT, 2)
    ifd.set(339, SHORT, 1).set(_FORMAT, SHORT, 0).set(_NEAR, RATIONAL, (0, 0)).set(_FAR, RATIONAL, (0, 0))
    ifd.set(_UNITS, SHORT, 0).set(_MEASURED, SHORT, 0)
    strips = []
    for top in range(0, height, _ROWS):
        part = codes[top : top + _ROWS]
        change = part.copy()
        change[:, 1:] -= part[:, :-1]
        strips.append(bytes(imagecodecs.deflate_encode(change.tobytes(), level=6, raw=False)))
    ifd.chunks = strips
    return ifd
