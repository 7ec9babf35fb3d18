"""Writing masters: linear DNG (specification 1.7.1) with half floats, from rows that come one strip after the other.

Camera values, not balanced, with 1 as the level where the darkest exposure clips; how much lighter it is to be shown stands in
BaselineExposure. Tiles of 256 x 256, deflate with the floating-point predictor: what LibRaw reads right (docs/formats.md).
"""

import json
import mmap
import struct
from collections.abc import Mapping
from concurrent.futures import Future, ThreadPoolExecutor, wait
from pathlib import Path
from typing import Any

import numpy as np
from isal import isal_zlib
from numpy.typing import NDArray

from zincplate.core.colour.camera_colour import ILLUMINANT_KELVIN
from zincplate.core.colour.temperature import white_point_xy
from zincplate.core.kernels.half_floats import predicted_halves
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour
from zincplate.formats.description_writer import xmp_packet
from zincplate.formats.dng.depth import depth_directory
from zincplate.formats.exif_writer import add_capture_entries
from zincplate.formats.tags import TagError, read_directories
from zincplate.formats.tiff_writer import ASCII, BYTE, IFD, LONG, RATIONAL, SHORT, SRATIONAL, UNDEFINED, rational, write_structure

Float32 = NDArray[np.float32]

TILE = 256
PRIVATE = 50740
"""DNGPrivateData: a name, a zero, and what only that program understands."""
OWNER = b"Zincplate\0"
_LEVEL = 1
"""ISA-L's: more than twice as fast as libdeflate's lowest, which is six times as fast as zlib's usual one, for two percent more
than either."""
_COLOUR, _FORWARD, _INDIVIDUAL = (50721, 50722, 52531), (50964, 50965, 52532), (50723, 50724, 52530)
_LIGHT, _DATA, OTHER = (50778, 50779, 52529), (52533, 52534, 52535), 255


class MasterWriter:
    """Takes the rows of a picture from top to bottom and gives the file."""

    def __init__(self, width: int, height: int) -> None:
        self.width, self.height = width, height
        self._tiles: list[Future[bytes]] = []
        self._waiting = np.empty((3, 0, width), np.float32)
        self._rows = 0
        self._pool = ThreadPoolExecutor(2)

    def add(self, camera_values: Float32) -> None:
        """Planes (3, rows, width) that follow those given before."""
        rows = np.concatenate([self._waiting, camera_values], 1) if self._waiting.shape[1] else camera_values
        whole = rows.shape[1] // TILE * TILE
        for top in range(0, whole, TILE):
            self._encode(rows[:, top : top + TILE])
        self._waiting = rows[:, whole:].copy()

    def _encode(self, rows: Float32) -> None:
        across = -(-self.width // TILE)
        predicted = np.empty((across, TILE, 6 * TILE), np.uint8)
        predicted_halves(np.ascontiguousarray(rows, np.float32), predicted)
        # one row of tiles waits at most; meanwhile the next one comes
        wait(self._tiles[-across:])
        for tile in predicted:
            self._tiles.append(self._pool.submit(isal_zlib.compress, tile, _LEVEL))
        self._rows += rows.shape[1]

    def finish(
        self, capture: CaptureData, camera: CameraColour, preview_jpeg: bytes, preview_size: tuple[int, int], software: str,
        made_from: Mapping[str, Any], depth: Float32 | None = None,
    ) -> bytes:  # fmt: skip
        """The file; raises ``ValueError`` when rows are missing. ``depth``: a map (h, w) of the whole, 0 near to 1 far."""
        if self._waiting.shape[1]:
            self._encode(self._waiting)
        self._pool.shutdown()
        if self._rows != self.height:
            raise ValueError("rows of the master are missing")
        raw = IFD(tiled=True)
        raw.set(254, LONG, 0).set(256, LONG, self.width).set(257, LONG, self.height).set(258, SHORT, [16] * 3)
        raw.set(259, SHORT, 8).set(262, SHORT, 34892).set(277, SHORT, 3).set(284, SHORT, 1).set(317, SHORT, 3)
        raw.set(322, LONG, TILE).set(323, LONG, TILE).set(339, SHORT, [3] * 3)
        raw.set(50714, RATIONAL, [(0, 1)] * 3).set(50717, LONG, [1] * 3)
        raw.chunks = [tile.result() for tile in self._tiles]
        add_capture_entries(raw, capture, software)
        if packet := xmp_packet(capture, software):
            raw.set(700, BYTE, packet)
        # a third calibration and lights by their chromaticity came with 1.6; who does not know them passes over them
        raw.set(50706, BYTE, [1, 6, 0, 0]).set(50707, BYTE, [1, 4, 0, 0])
        raw.set(50708, ASCII, f"{capture.camera_make} {capture.camera_model}".strip() or "Master")
        _add_colour(raw, camera)
        raw.set(PRIVATE, BYTE, OWNER + json.dumps(made_from, ensure_ascii=False).encode())
        raw.sub = [_preview(preview_jpeg, *preview_size), *([depth_directory(depth)] if depth is not None else [])]
        return write_structure(raw)


def _add_colour(ifd: IFD, camera: CameraColour) -> None:
    matrices = camera.matrices
    for index, found in enumerate(matrices.calibrations):
        ifd.set(_COLOUR[index], SRATIONAL, [rational(v, 1_000_000) for v in found.matrix])
        code = None if found.xy else _illuminant(found.kelvin)
        ifd.set(_LIGHT[index], SHORT, OTHER if code is None else code)
        if code is None:
            x, y = (rational(v, 1_000_000_000) for v in found.xy or white_point_xy(found.kelvin))
            ifd.set(_DATA[index], UNDEFINED, struct.pack("<H4I", 0, *x, *y))
        if found.forward is not None:
            ifd.set(_FORWARD[index], SRATIONAL, [rational(v, 1_000_000) for v in found.forward])
        if found.individual is not None:
            ifd.set(_INDIVIDUAL[index], SRATIONAL, [rational(v, 1_000_000) for v in found.individual])
    ifd.set(50727, RATIONAL, [rational(v, 1_000_000) for v in matrices.analog_balance])
    ifd.set(50728, RATIONAL, [rational(v, 1_000_000) for v in camera.as_shot_neutral])
    ifd.set(50730, SRATIONAL, rational(camera.baseline_exposure_ev, 10_000))


def _illuminant(kelvin: float) -> int | None:
    """EXIF's number of a light (of equals the more usual one); None where it has none."""
    usual = (17, 21, 23, 20, *ILLUMINANT_KELVIN)
    return next((code for code in usual if abs(ILLUMINANT_KELVIN[code] - kelvin) < 0.5), None)


def _preview(jpeg: bytes, width: int, height: int) -> IFD:
    ifd = IFD()
    ifd.set(254, LONG, 1).set(256, LONG, width).set(257, LONG, height).set(258, SHORT, [8, 8, 8]).set(259, SHORT, 7)
    ifd.set(262, SHORT, 6).set(277, SHORT, 3).set(278, LONG, height).set(284, SHORT, 1).set(50970, LONG, 2)
    ifd.set(36864, UNDEFINED, b"0232")
    ifd.chunks = [jpeg]
    return ifd


def made_from(path: Path) -> dict[str, Any] | None:
    """What a master says it was made from; None for a file that is no master of ours."""
    try:
        with open(path, "rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as mapped:
            data = read_directories(mapped)[0].data(PRIVATE)
        found = json.loads(data.removeprefix(OWNER)) if data.startswith(OWNER) else None
    except (OSError, ValueError, IndexError, TagError):
        return None
    return found if isinstance(found, dict) else None
