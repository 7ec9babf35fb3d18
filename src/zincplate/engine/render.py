"""Views and deliveries of one source from the same graph.

View: a window of the picture at any size up to full size, 8 bit, dithered. Delivery: the whole picture, in strips.
Both take planes from :class:`zincplate.engine.stages.Stages`, run the fused kernel once, and the finishing pass where the
recipe asks for it.
"""

import itertools
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from zincplate.core import oklab
from zincplate.core.colour_spaces import SPACES
from zincplate.core.depth import depth_of
from zincplate.core.finish import edge_area, luma_of
from zincplate.core.lab import xyz_to_lab
from zincplate.core.light import to_8_bit, to_float
from zincplate.core.resample import reduce_box
from zincplate.core.statistics import CLIP_GAMUT, measure, raw_histogram
from zincplate.engine.cache import ByteCache
from zincplate.engine.colour_plan import reach_of
from zincplate.engine.finishing import finished, margin_of
from zincplate.engine.recipe import Recipe, RecipeError
from zincplate.engine.source import Plate, Source
from zincplate.engine.stages import Stages, Window, scale_of
from zincplate.engine.strips import deliver_whole
from zincplate.formats.isolated import Decoder
from zincplate.ops.plan import FinishPlan, LightPlan

Float32 = NDArray[np.float32]

DEPTH_RADIUS = 16
"""Half side of the square of full-size pixels that the depth guard looks at."""
AMBER = np.array([138.0, 92.0, 8.0], np.float32)
_SERIAL = itertools.count()
Show = Literal["picture", "edges", "reach"]


@dataclass(frozen=True)
class ViewRequest:
    """The picture scaled to ``scaled_width`` x ``scaled_height``, and the window of it that is wanted."""

    scaled_width: int
    scaled_height: int
    x: int = 0
    y: int = 0
    width: int = 0
    height: int = 0
    show: Show = "picture"
    """The picture, the area that sharpening counts as edges, or what the picked key ``key`` reaches."""
    key: int = 0
    gamut: bool = False
    """Mark colours outside the delivery space in the clipping map."""
    raw_histogram: bool = False

    def checked(self, source: Source) -> "ViewRequest":
        """Window kept inside the picture; raises :class:`RecipeError` for sizes that make no sense."""
        w = min(max(self.scaled_width, 1), source.width)
        h = min(max(self.scaled_height, 1), source.height)
        x, y = min(max(self.x, 0), w - 1), min(max(self.y, 0), h - 1)
        width, height = min(self.width or w, w - x), min(self.height or h, h - y)
        if width < 1 or height < 1 or width * height > 40_000_000:
            raise RecipeError("The view asked for has no size or is larger than 40 megapixels.")
        return replace(self, scaled_width=w, scaled_height=h, x=x, y=y, width=width, height=height)

    @property
    def window(self) -> Window:
        """As the stages have it."""
        return Window(self.scaled_width, self.scaled_height, self.x, self.y, self.width, self.height)


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
    channels: NDArray[np.float64] = field(default_factory=lambda: np.zeros((3, 3)))
    """Shares 0..1 of each channel: delivered at the top, delivered at zero, sensor full (rows) by R, G, B (columns)."""
    raw_histogram: NDArray[np.int64] | None = None
    outside_gamut: float = 0.0
    hot_pixels: int | None = None
    """How many sites of the file were replaced; None when that is off."""


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
        self.stages = Stages(self._read)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix=_RENDER_THREAD)

    def on_render_thread(self, work: Callable[[], T]) -> T:
        """Runs something that uses kernels on the one thread for that, and waits for it."""
        if threading.current_thread().name.startswith(_RENDER_THREAD):
            return work()
        return self._thread.submit(work).result()

    def open(self, path: Path, key: str) -> Source:
        """Decoded file, from the cache if ``key`` (its content hash) is there; raises ``FileError``."""
        return self._sources.get(key, lambda: Source(self._decoder.decode(path)), lambda s: s.nbytes)

    def _read(self, source: Source, key: str, window: Window, hot_pixels: bool) -> Float32:
        """Plates of a window at its size, kept."""
        make = lambda: self._window(source, key, window, hot_pixels)  # noqa: E731
        return self._plates.get((key, "window", window, hot_pixels), make, lambda a: a.nbytes)

    def read_once(self, source: Source, key: str, window: Window, hot_pixels: bool) -> Float32:
        """The same without keeping it: strips of a delivery are read once."""
        return self._window(source, key, window, hot_pixels)

    def _window(self, source: Source, key: str, r: Window, hot_pixels: bool) -> Float32:
        step_x, step_y = source.width / r.full_width, source.height / r.full_height
        x0, x1 = r.x * step_x, (r.x + r.width) * step_x
        y0, y1 = r.y * step_y, (r.y + r.height) * step_y
        level = int(min(step_x, step_y)) // 2 * 2
        if level >= 2:
            plate = self._plate(source, key, level, hot_pixels)
            return reduce_box(
                plate.planes,
                ((x0 - plate.origin_x) / level, (x1 - plate.origin_x) / level),
                ((y0 - plate.origin_y) / level, (y1 - plate.origin_y) / level),
                r.width,
                r.height,
            )
        left, top = int(x0), int(y0)
        right, bottom = min(int(np.ceil(x1 - 1e-9)), source.width), min(int(np.ceil(y1 - 1e-9)), source.height)
        full = source.window(left, top, right - left, bottom - top, hot_pixels)
        if (r.full_width, r.full_height) == (source.width, source.height):
            return full
        return reduce_box(full, (x0 - left, x1 - left), (y0 - top, y1 - top), r.width, r.height)

    def _plate(self, source: Source, key: str, level: int, hot_pixels: bool) -> Plate:
        stage = (key, "plate", level, hot_pixels)
        return self._plates.get(stage, lambda: source.reduced(level, hot_pixels), lambda p: p.planes.nbytes)

    def view(self, source: Source, key: str, recipe: Recipe, request: ViewRequest, space: str = "srgb") -> View:
        """Render a window for the screen."""
        return self.on_render_thread(lambda: self._view(source, key, recipe, request, space))

    def _view(self, source: Source, key: str, recipe: Recipe, request: ViewRequest, space: str) -> View:
        start = time.perf_counter()
        r = request.checked(source)
        window, plan = r.window, source.plan(recipe)
        scale = scale_of(source, window)
        outer = window.grown(self.stages.margin(source, plan, window) + margin_of(plan.finish, scale, r.show == "edges"))
        planes = self.stages.local(source, key, plan, outer)
        inner = window.inside(outer)
        picture = np.empty((r.height, r.width, 3), np.uint8)
        tables = source.tables(recipe, space)
        if plan.finish == FinishPlan():
            to_8_bit(np.ascontiguousarray(planes[(slice(None), *inner)]), tables, r.x, r.y, picture)
        else:
            finished(planes, tables, plan.finish, scale, window, inner, picture)
        plates = self._read(source, key, outer, plan.plate.hot_pixels)[(slice(None), *inner)]
        histogram, clipping, counts = measure(picture, plates, source.white_limits)
        # what is shown over the picture comes after its measurements
        if r.show == "edges":
            encoded = np.empty_like(planes)
            to_float(planes, tables, encoded)
            _amber_film(picture, edge_area(luma_of(encoded), scale)[inner])
        elif r.show == "reach":
            _grey_where_not(picture, self._reach(source, recipe, plan, planes[(slice(None), *inner)], r.key))
        outside = 0.0
        if r.gamut:
            mask = self._outside(source, recipe, planes[(slice(None), *inner)], space)
            clipping[mask] |= CLIP_GAMUT
            outside = float(mask.mean())
        pixels = r.width * r.height
        overall = counts[0] / pixels
        raw = raw_histogram(source.camera_values(plates)) if r.raw_histogram else None
        elapsed = (time.perf_counter() - start) * 1000
        shares = (float(overall[0]), float(overall[1]), float(overall[2]))
        hot = source.hot_pixels if plan.plate.hot_pixels else None
        return View(r, picture, clipping, shares, histogram, elapsed, counts[1:] / pixels, raw, outside, hot)

    def _outside(self, source: Source, recipe: Recipe, planes: Float32, space: str) -> NDArray[np.bool_]:
        """Which pixels lie outside a delivery space before they are drawn in."""
        wide = np.empty_like(planes, order="C")
        to_float(np.ascontiguousarray(planes), source.tables(recipe, "rec2020", linear_output=True), wide)
        rgb = np.tensordot(SPACES[space].from_working, wide, 1)
        return np.asarray(((rgb < -2e-3) | (rgb > 1.004)).any(0))

    def _reach(self, source: Source, recipe: Recipe, plan: LightPlan, planes: Float32, key: int) -> NDArray[np.float64]:
        """How strongly a picked key acts on every pixel, 0..1."""
        if not 0 <= key < len(plan.colour.picked):
            raise RecipeError("There is no such key.")
        lab = self._lab_before_colour(source, recipe, planes)
        return reach_of(plan.colour.picked[key], np.moveaxis(lab, 0, -1))

    def _lab_before_colour(self, source: Source, recipe: Recipe, planes: Float32) -> NDArray[np.float64]:
        """Oklab (3, h, w) of display light as the colour step receives it."""
        out = np.empty(planes.shape, np.float32)
        plain = recipe.with_switch("colour", False)
        to_float(np.ascontiguousarray(planes), source.tables(plain, "rec2020", linear_output=True), out)
        return np.asarray(np.moveaxis(oklab.from_working(np.moveaxis(out, 0, -1)), -1, 0))

    def colour_at(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int) -> tuple[float, float, float]:
        """Mean Oklab colour about a place of the full-size picture, as the colour step receives it."""

        def work() -> tuple[float, float, float]:
            planes = self._square(source, key, recipe, x, y, radius)
            lab = self._lab_before_colour(source, recipe, planes).reshape(3, -1).mean(1)
            return float(lab[0]), float(lab[1]), float(lab[2])

        return self.on_render_thread(work)

    def _square(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int) -> Float32:
        """Planes after the local stage of a square of full-size pixels."""
        x0, y0 = max(x - radius, 0), max(y - radius, 0)
        x1, y1 = min(x + radius + 1, source.width), min(y + radius + 1, source.height)
        if x0 >= x1 or y0 >= y1:
            raise RecipeError("That place lies outside the picture.")
        plan = source.plan(recipe)
        window = Window(source.width, source.height, x0, y0, x1 - x0, y1 - y0)
        outer = window.grown(self.stages.margin(source, plan, window))
        planes = self.stages.local(source, key, plan, outer, keep=False)
        return np.ascontiguousarray(planes[(slice(None), *window.inside(outer))])

    def sample(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int, space: str) -> dict[str, Any]:
        """Mean of a square of full-size pixels about (x, y): delivered values before sharpening and grain, L*a*b*, camera values,
        clipped share."""
        return self.on_render_thread(lambda: self._sample(source, key, recipe, x, y, radius, space))

    def _sample(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int, space: str) -> dict[str, Any]:
        planes = self._square(source, key, recipe, x, y, radius)
        x0, y0 = max(x - radius, 0), max(y - radius, 0)
        plates = source.window(x0, y0, planes.shape[2], planes.shape[1])
        linear = np.empty_like(planes)
        to_float(planes, source.tables(recipe, space, linear_output=True), linear)
        mean_linear = linear.reshape(3, -1).mean(1).astype(np.float64)
        target = SPACES[space]
        xyz_d65 = SPACES["rec2020"].to_xyz @ target.to_working @ mean_linear
        clipped = (plates >= source.white_limits[:, None, None]).any(0).mean()
        return {
            "x": x,
            "y": y,
            "rgb": [float(v) for v in target.transfer.encode(mean_linear) * 255],
            "lab": [float(v) for v in xyz_to_lab(xyz_d65)],
            "camera": [float(v) for v in source.camera_values(plates).reshape(3, -1).mean(1)],
            "clipped": float(clipped),
            "depth": self._depth(source, key, recipe, x, y, space),
        }

    def _depth(self, source: Source, key: str, recipe: Recipe, x: int, y: int, space: str) -> dict[str, Any]:
        """Whether tones are missing in the data about a place, on the scale of 255 of the delivery."""
        planes = self._square(source, key, recipe, x, y, DEPTH_RADIUS)
        out = np.empty_like(planes)
        to_float(planes, source.tables(recipe, space), out)
        found = depth_of(out)
        return {"verdict": found.verdict, "step": found.step}

    def deliver(
        self,
        source: Source,
        recipe: Recipe,
        *,
        space: str,
        bits: int,
        long_edge: int | None = None,
        progress: Callable[[float], bool] | None = None,
        key: str = "",
    ) -> NDArray[np.uint8] | NDArray[np.uint16]:
        """The whole picture (h, w, 3), 8 bit (dithered) or 16 bit; reduced in linear light when ``long_edge`` asks for it.

        ``progress`` is called with 0..1 and stops the delivery by returning False (:class:`Cancelled`).
        """
        stages = Stages(self.read_once, best=True)
        return deliver_whole(stages, source, key or f"delivery {next(_SERIAL)}", recipe, space, bits, long_edge, progress)


def _amber_film(picture: NDArray[np.uint8], area: Float32) -> None:
    """The picture in grey under an amber film where the area is, in place."""
    grey = (picture @ np.array([0.2126, 0.7152, 0.0722], np.float32))[..., None]
    film = (0.8 * area)[..., None]
    picture[:] = np.rint(grey * (1 - film) + (0.45 * grey + AMBER) * film).astype(np.uint8)


def _grey_where_not(picture: NDArray[np.uint8], reach: NDArray[np.float64]) -> None:
    """Colours a key does not touch become grey, lighter than they were, in place."""
    grey = 128 + 0.35 * (picture @ np.array([0.2126, 0.7152, 0.0722]) - 128)
    share = np.sqrt(reach)[..., None]
    picture[:] = np.rint(picture * share + grey[..., None] * (1 - share)).astype(np.uint8)
