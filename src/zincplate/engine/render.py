"""Views and deliveries of one source from the same graph.

View: a window of the picture at any size up to full size, 8 bit, dithered. Delivery: the whole picture, in strips.
Both read plates (cached), then run the fused kernel once.
"""

import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour_spaces import SPACES
from zincplate.core.lab import xyz_to_lab
from zincplate.core.light import LightTables, to_8_bit, to_16_bit, to_float
from zincplate.core.resample import lanczos_columns, lanczos_rows, reduce_box
from zincplate.core.statistics import measure
from zincplate.engine.cache import ByteCache
from zincplate.engine.light_plan import encode_table
from zincplate.engine.recipe import Recipe, RecipeError
from zincplate.engine.source import Plate, Source
from zincplate.formats.isolated import Decoder

Float32 = NDArray[np.float32]
STRIP_ROWS = 192


class Cancelled(Exception):
    """Raised out of a delivery whose progress callback asked to stop."""


@dataclass(frozen=True)
class ViewRequest:
    """The picture scaled to ``scaled_width`` x ``scaled_height``, and the window of it that is wanted."""

    scaled_width: int
    scaled_height: int
    x: int = 0
    y: int = 0
    width: int = 0
    height: int = 0

    def checked(self, source: Source) -> "ViewRequest":
        """Window kept inside the picture; raises :class:`RecipeError` for sizes that make no sense."""
        w = min(max(self.scaled_width, 1), source.width)
        h = min(max(self.scaled_height, 1), source.height)
        x, y = min(max(self.x, 0), w - 1), min(max(self.y, 0), h - 1)
        width, height = min(self.width or w, w - x), min(self.height or h, h - y)
        if width < 1 or height < 1 or width * height > 40_000_000:
            raise RecipeError("The view asked for has no size or is larger than 40 megapixels.")
        return ViewRequest(w, h, x, y, width, height)


@dataclass(frozen=True)
class View:
    """A rendered window with its measurements."""

    request: ViewRequest
    picture: NDArray[np.uint8]
    clipping: NDArray[np.uint8]
    clipped: tuple[float, float, float]
    """Shares 0..1 of the window: delivered highlights, shadows, raw."""
    histogram: NDArray[np.int64]
    render_ms: float


def fitted(source: Source, box_width: int, box_height: int) -> tuple[int, int]:
    """Size of the whole picture inside a box, never enlarged."""
    scale = min(box_width / source.width, box_height / source.height, 1.0)
    return max(round(source.width * scale), 1), max(round(source.height * scale), 1)


T = TypeVar("T")
_RENDER_THREAD = "render"


class Renderer:
    """Opens sources and renders them; one per process. Caches sources and plates by the file's content hash.

    Views and samples of all callers are computed on one thread: every thread that runs a parallel kernel gets a team of
    OpenMP threads of its own, and dozens of teams on a web server's request threads would fight for the cores.
    """

    def __init__(self, decoder: Decoder, source_bytes: int = 1 << 30, plate_bytes: int = 512 << 20) -> None:
        self._decoder = decoder
        self._sources = ByteCache(source_bytes)
        self._plates = ByteCache(plate_bytes)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix=_RENDER_THREAD)

    def on_render_thread(self, work: Callable[[], T]) -> T:
        """Runs something that uses kernels on the one thread for that, and waits for it."""
        if threading.current_thread().name.startswith(_RENDER_THREAD):
            return work()
        return self._thread.submit(work).result()

    def open(self, path: Path, key: str) -> Source:
        """Decoded file, from the cache if ``key`` (its content hash) is there; raises ``FileError``."""
        return self._sources.get(key, lambda: Source(self._decoder.decode(path)), lambda s: s.nbytes)

    def planes(self, source: Source, key: str, request: ViewRequest) -> Float32:
        """Plate of a checked view's window, at the view's size."""
        r = request
        cache_key = (key, "window", r)
        return self._plates.get(cache_key, lambda: self._window(source, key, r), lambda a: a.nbytes)

    def _window(self, source: Source, key: str, r: ViewRequest) -> Float32:
        step_x, step_y = source.width / r.scaled_width, source.height / r.scaled_height
        x0, x1 = r.x * step_x, (r.x + r.width) * step_x
        y0, y1 = r.y * step_y, (r.y + r.height) * step_y
        level = int(min(step_x, step_y)) // 2 * 2
        if level >= 2:
            plate = self._plate(source, key, level)
            return reduce_box(
                plate.planes,
                ((x0 - plate.origin_x) / level, (x1 - plate.origin_x) / level),
                ((y0 - plate.origin_y) / level, (y1 - plate.origin_y) / level),
                r.width,
                r.height,
            )
        left, top = int(x0), int(y0)
        right, bottom = min(int(np.ceil(x1 - 1e-9)), source.width), min(int(np.ceil(y1 - 1e-9)), source.height)
        full = source.window(left, top, right - left, bottom - top)
        return reduce_box(full, (x0 - left, x1 - left), (y0 - top, y1 - top), r.width, r.height)

    def _plate(self, source: Source, key: str, level: int) -> Plate:
        return self._plates.get((key, "plate", level), lambda: source.reduced(level), lambda p: p.planes.nbytes)

    def view(self, source: Source, key: str, recipe: Recipe, request: ViewRequest, space: str = "srgb") -> View:
        """Render a window for the screen."""
        return self.on_render_thread(lambda: self._view(source, key, recipe, request, space))

    def _view(self, source: Source, key: str, recipe: Recipe, request: ViewRequest, space: str) -> View:
        start = time.perf_counter()
        r = request.checked(source)
        planes = self.planes(source, key, r)
        tables = source.tables(recipe, space)
        picture = np.empty((r.height, r.width, 3), np.uint8)
        to_8_bit(planes, *tables.arguments(), r.x, r.y, picture)
        histogram, clipping, clipped = measure(picture, planes, source.white_limits)
        shares = clipped / (r.width * r.height)
        elapsed = (time.perf_counter() - start) * 1000
        return View(r, picture, clipping, (shares[0], shares[1], shares[2]), histogram, elapsed)

    def sample(self, source: Source, recipe: Recipe, x: int, y: int, radius: int, space: str) -> dict[str, Any]:
        """Mean of a square of full-size pixels about (x, y): delivered values, L*a*b*, camera values, clipped share."""
        return self.on_render_thread(lambda: self._sample(source, recipe, x, y, radius, space))

    def _sample(self, source: Source, recipe: Recipe, x: int, y: int, radius: int, space: str) -> dict[str, Any]:
        x0, y0 = max(x - radius, 0), max(y - radius, 0)
        x1, y1 = min(x + radius + 1, source.width), min(y + radius + 1, source.height)
        if x0 >= x1 or y0 >= y1:
            raise RecipeError("That place lies outside the picture.")
        planes = source.window(x0, y0, x1 - x0, y1 - y0)
        linear = np.empty_like(planes)
        to_float(planes, *source.tables(recipe, space, linear_output=True).arguments(), linear)
        mean_linear = linear.reshape(3, -1).mean(1).astype(np.float64)
        target = SPACES[space]
        xyz_d65 = SPACES["rec2020"].to_xyz @ target.to_working @ mean_linear
        clipped = (planes >= source.white_limits[:, None, None]).any(0).mean()
        return {
            "x": x,
            "y": y,
            "rgb": [float(v) for v in target.transfer.encode(mean_linear) * 255],
            "lab": [float(v) for v in xyz_to_lab(xyz_d65)],
            "camera": [float(v) for v in source.camera_values(planes).reshape(3, -1).mean(1)],
            "clipped": float(clipped),
        }

    def deliver(
        self,
        source: Source,
        recipe: Recipe,
        *,
        space: str,
        bits: int,
        long_edge: int | None = None,
        progress: Callable[[float], bool] | None = None,
    ) -> NDArray[np.uint8] | NDArray[np.uint16]:
        """The whole picture (h, w, 3), 8 bit (dithered) or 16 bit; reduced in linear light when ``long_edge`` asks for it.

        ``progress`` is called with 0..1 and stops the delivery by returning False (:class:`Cancelled`).
        """
        edge = max(source.width, source.height)
        if long_edge is not None and long_edge < edge:
            return self._deliver_reduced(source, recipe, space, bits, long_edge, progress)
        tables = source.tables(recipe, space)
        out = _empty(source.height, source.width, bits)
        for y in range(0, source.height, STRIP_ROWS):
            rows = min(STRIP_ROWS, source.height - y)
            _quantise(source.window(0, y, source.width, rows), tables, y, out[y : y + rows])
            _tell(progress, (y + rows) / source.height)
        return out

    def _deliver_reduced(
        self,
        source: Source,
        recipe: Recipe,
        space: str,
        bits: int,
        long_edge: int,
        progress: Callable[[float], bool] | None,
    ) -> NDArray[np.uint8] | NDArray[np.uint16]:
        width, height = fitted(source, long_edge, long_edge)
        tables = source.tables(recipe, space, linear_output=True)
        middle = np.empty((3, source.height, width), np.float32)
        for y in range(0, source.height, STRIP_ROWS):
            rows = min(STRIP_ROWS, source.height - y)
            planes = source.window(0, y, source.width, rows)
            to_float(planes, *tables.arguments(), planes)
            middle[:, y : y + rows] = lanczos_rows(planes, width)
            _tell(progress, 0.95 * (y + rows) / source.height)
        out = _empty(height, width, bits)
        _quantise(lanczos_columns(middle, height), _encoding_only(space), 0, out)
        _tell(progress, 1.0)
        return out


def _tell(progress: Callable[[float], bool] | None, share: float) -> None:
    if progress is not None and not progress(share):
        raise Cancelled


def _empty(height: int, width: int, bits: int) -> NDArray[Any]:
    if bits not in (8, 16):
        raise ValueError("a delivery has 8 or 16 bits")
    return np.empty((height, width, 3), np.uint8 if bits == 8 else np.uint16)


def _quantise(planes: Float32, tables: LightTables, y: int, out: NDArray[Any]) -> None:
    if out.dtype == np.uint8:
        to_8_bit(planes, *tables.arguments(), 0, y, out)
    else:
        to_16_bit(planes, *tables.arguments(), out)


def _encoding_only(space: str) -> LightTables:
    """Tables that only clip and encode planes which are already linear light of the delivery space."""
    target = SPACES[space]
    parameters = np.zeros(38, np.float32)
    parameters[0:4] = 1, 1, 1, 3e38
    parameters[4:13] = np.eye(3).ravel()
    parameters[13:16] = target.to_xyz[1]
    parameters[16:25] = np.eye(3).ravel()
    srgb_curve = target.transfer == SPACES["srgb"].transfer
    flags = np.array([0, 0, 0, 0, 1 if srgb_curve else 2], np.int32)
    unused = np.zeros(2, np.float32)
    return LightTables(parameters, flags, unused, np.zeros((5, 2), np.float32), encode_table(space))
