"""Views and deliveries of one source from the same graph.

View: a window of the picture at any size up to full size, 8 bit, dithered. Delivery: the whole picture, in strips.
Both take planes from :class:`zincplate.pipeline.stages.Stages`, run the fused kernel once, and the finishing pass where the
recipe asks for it.
"""

import hashlib
import itertools
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES
from zincplate.core.colour.lab import xyz_to_lab
from zincplate.core.geometry.projective import FramingError
from zincplate.core.kernels.light import to_float
from zincplate.core.measure.depth import depth_of
from zincplate.core.measure.statistics import CLIP_GAMUT, every_row, measure, raw_histogram
from zincplate.core.tone.finish import edge_area, luma_of
from zincplate.formats.isolated import Decoder
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.formats.turns import AT_ONCE, Turn
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.finishing import finished, margin_of
from zincplate.pipeline.framing import LARGEST_SIDE, Framed, Framing, framing, of_source
from zincplate.pipeline.lens_of import Shape
from zincplate.pipeline.passes import in_display, laid_over, lit, sharper_of
from zincplate.pipeline.stages import Stages
from zincplate.pipeline.windows import Window, scale_of
from zincplate.plan.finish import FinishPlan
from zincplate.plan.frame import FramePlan
from zincplate.plan.light import LightPlan
from zincplate.plan.passes import AreaPlan
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.films import AREA_SHOWN, amber_film, dust_light, grey_where_not
from zincplate.render.plates import Plates
from zincplate.render.read_again import ReadAgain
from zincplate.render.render_thread import RenderThread
from zincplate.render.strips import deliver_whole
from zincplate.render.view import View, ViewRequest
from zincplate.sources.file import Source
from zincplate.sources.repair_keys import digest_of, plain_key, repaired_key
from zincplate.sources.repaired import Mended
from zincplate.tables.colour_plan import reach_of

Float32 = NDArray[np.float32]

DEPTH_RADIUS = 16
"""Half side of the square of full-size pixels that the depth guard looks at."""
FRAMED_KEPT = 64
"""Resolved frame stages; each counts one in its cache. They hold tables of some 200 kB and no source."""
PARTS = {"sources": 0.36, "plates": 0.19, "stages": 0.22, "small": 0.18, "repairs": 0.05}
"""Shares of a renderer's memory; ``small`` are small pictures of the whole, of which every look that an area goes by has one."""
SMALL_OF_A_DELIVERY = 384 << 20
"""Bytes at most that all parts of a delivery go by: thirty looks, and forms of skin in two sizes."""
_SERIAL = itertools.count()
T = TypeVar("T")


class Renderer:
    """Opens sources and renders them; one per process. Caches sources and plates by the file's content hash.

    Views and samples of all callers are computed on one thread (:mod:`zincplate.render.render_thread`), what takes seconds on a
    second one.
    """

    def __init__(
        self,
        decoder: Decoder,
        lenses: LensDatabase | None = None,
        memory_bytes: int = 1 << 30,
    ) -> None:
        """``memory_bytes`` is what is kept for the next view; what is being worked on comes on top."""
        self._decoder = decoder
        self.lenses = lenses or LensDatabase()
        self._framed = ByteCache(FRAMED_KEPT)
        self._sources = ByteCache(int(PARTS["sources"] * memory_bytes))
        self.plates = Plates(int(PARTS["plates"] * memory_bytes))
        self.repairs_kept = ByteCache(int(PARTS["repairs"] * memory_bytes))
        self._stage_bytes = int(PARTS["stages"] * memory_bytes)
        self.small = ByteCache(int(PARTS["small"] * memory_bytes))
        self.stages = Stages(self.plates.read, self.small, self._stage_bytes)
        self._thread, self._slow_thread = RenderThread(), RenderThread()
        self._slow_stages: Stages | None = None

    def on_render_thread(self, work: Callable[[], T], turn: Turn = AT_ONCE) -> T:
        """Runs something that uses kernels on the one thread for that, and waits for it."""
        return self._thread.run(work, turn)

    def breathe(self) -> None:
        """For long work on the render thread, between its parts: lets what is more urgent go first."""
        self._thread.breathe()

    def open(self, path: Path, key: str, turn: Turn = AT_ONCE) -> Source:
        """Decoded file, from the cache if ``key`` (its content hash) is there; raises ``FileError``, and ``Superseded`` when its
        turn comes and it is not wanted any more."""
        return self._sources.get(key, lambda: Source(self._decoder.decode(path, turn)), lambda s: s.nbytes)

    def repaired(self, source: Source, key: str, recipe: Recipe, quick: bool = True, moving: bool = False) -> tuple[Source, str]:
        """The source as a recipe's repairs leave it, and a key that says so; itself when there are none. Removals without a
        fill are filled in a hurry when ``quick``; while a hand is ``moving`` one, membranes are less exact."""
        return self._repaired(source, key, source.plan(recipe), quick, moving)

    def _repaired(self, source: Source, key: str, plan: LightPlan, quick: bool, moving: bool) -> tuple[Source, str]:
        repairs, mirrored = plan.repairs, plan.frame.crop.mirrored
        if not repairs:
            return source, key
        reduced = lambda step, hot_pixels: self.plates.plate(source, key, step, hot_pixels)  # noqa: E731
        mended = Mended(source, key, repairs, self.repairs_kept, quick, moving, mirrored, reduced, self.small)
        name = hashlib.sha256(repr(([digest_of(r) for r in repairs], quick, moving, mirrored)).encode()).hexdigest()[:20]
        return source.repaired(mended), repaired_key(key, name)

    def mended(self, source: Source, key: str, recipe: Recipe, quick: bool = True) -> Mended:
        """The repairs of a recipe on a source."""
        plan = source.plan(recipe)
        return Mended(source, key, plan.repairs, self.repairs_kept, quick, mirrored=plan.frame.crop.mirrored, small=self.small)

    def framed(self, source: Source, key: str, plan: FramePlan) -> Framed:
        """The frame stage of a plan, kept for a while; raises :class:`RecipeError` when it makes no sense on this source."""
        # data of a lens may come or change while the file is open
        stage = (plain_key(key), source.width, source.height, plan, self.lenses.stamp())

        def make() -> Framing:
            try:
                return framing(Shape(source.width, source.height, source.capture), plan, self.lenses)
            except FramingError as error:
                raise RecipeError(str(error)) from error

        return of_source(self._framed.get(stage, make, lambda _: 1), source)

    def view(
        self, source: Source, key: str, recipe: Recipe, request: ViewRequest, space: str = "srgb", turn: Turn = AT_ONCE
    ) -> View:
        """Render a window for the screen."""
        if request.best and source.plan(recipe).plate.best_noise:
            # beside the render thread: hands do not wait for it, and it ends when its answer is not wanted any more
            return self._slow_thread.run(
                lambda: self._view(source, key, recipe, request, space, turn, self._as_delivered(turn)), turn
            )
        return self.on_render_thread(lambda: self._view(source, key, recipe, request, space, turn, self.stages), turn)

    def _as_delivered(self, turn: Turn) -> Stages:
        if self._slow_stages is None:
            self._slow_stages = Stages(self.plates.read, self.small, self._stage_bytes // 4, best=True)
        self._slow_stages.between = turn.check
        return self._slow_stages

    def _view(
        self, source: Source, key: str, recipe: Recipe, request: ViewRequest, space: str, turn: Turn, stages: Stages
    ) -> View:
        start = time.perf_counter()
        plan = source.plan(recipe)
        source, key = self._repaired(source, key, plan, True, request.quick)
        framed = self.framed(source, key, plan.frame)
        finished_picture = framed
        if request.around and request.plane is None:
            all_of_it = framed.around()
            corner = (all_of_it.x - all_of_it.width / 2, all_of_it.y - all_of_it.height / 2)
            request = replace(request, plane=(*corner, all_of_it.width, all_of_it.height))
        if request.plane is not None:
            framed, plan = _through(framed, plan, request)
        source, r = framed.source, request.checked(framed)
        window = r.window
        if r.quick and request.plane is not None:
            stages.moves(framed)
        scale = scale_of(framed, window)
        outer = window.grown(stages.margin(framed, plan) + margin_of(plan.finish, scale, r.show == "edges"))
        planes = stages.local(framed, key, plan, outer)
        # between the stages of a large picture the hand goes first, and what is not wanted any more ends
        self.breathe()
        turn.check()
        inner = window.inside(outer)
        picture = np.empty((r.height, r.width, 3), np.uint8)
        areas, lighted = stages.areas, None
        if plan.finish != FinishPlan() or r.show == "edges":
            lighted = lit(areas, framed, key, recipe, plan, planes, outer, space)
        if lighted is None or plan.finish == FinishPlan():
            lit(areas, framed, key, recipe, plan, planes[(slice(None), *inner)], window, space).to_8_bit(r.x, r.y, picture)
        else:
            sharper = sharper_of(areas, framed, key, plan, window)
            finished(lighted, plan.finish, scale, window, inner, picture, sharper)
        self.breathe()
        turn.check()
        mapped = r.clipping or r.gamut
        every = 1 if mapped else every_row(r.width * r.height, r.quick)
        full = stages.recorded.full(framed, key, plan.plate, window, outer, every)
        histogram, clipping, counts = measure(picture, full, r.warned, mapped, r.quick)
        # what is shown over the picture comes after its measurements
        if r.show == "edges" and lighted is not None:
            amber_film(picture, edge_area(luma_of(lighted.to_float()), scale)[inner])
        elif r.show in AREA_SHOWN:
            area = areas.plane(framed, key, area_of(recipe, r.key), window)
            AREA_SHOWN[r.show](picture, area)
        elif r.show == "dust":
            dust_light(picture, scale)
        elif r.show == "reach":
            grey_where_not(picture, self._reach(source, recipe, plan, planes[(slice(None), *inner)], r.key))
        outside = 0.0
        if r.gamut:
            mask = self._outside(stages, framed, key, recipe, plan, planes, outer, space)[inner]
            clipping[mask] |= CLIP_GAMUT
            outside = float(mask.mean())
        pixels = r.width * r.height
        overall = counts[0] / pixels
        raw = None
        if r.raw_histogram:
            raw = raw_histogram(source.camera_values(stages.recorded.plates(framed, key, window, plan.plate.hot_pixels)))
        elapsed = (time.perf_counter() - start) * 1000
        shares = (float(overall[0]), float(overall[1]), float(overall[2]))
        hot = source.hot_pixels if plan.plate.hot_pixels else None
        return View(r, picture, clipping, shares, histogram, elapsed, finished_picture, counts[1:] / pixels, raw, outside, hot)

    def _outside(
        self,
        stages: Stages,
        framed: Framed,
        key: str,
        recipe: Recipe,
        plan: LightPlan,
        planes: Float32,
        window: Window,
        space: str,
    ) -> NDArray[np.bool_]:
        """Which pixels lie outside a delivery space before they are drawn in."""
        tables = framed.source.tables(recipe, "rec2020", linear_output=True)
        if in_display(plan):
            wide, _ = laid_over(stages.areas, framed, key, plan, planes, tables, window, True)
        else:
            wide = np.empty_like(planes, order="C")
            to_float(np.ascontiguousarray(planes), tables, wide)
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
            planes = self._square(source, key, recipe, x, y, radius).planes
            lab = self._lab_before_colour(source, recipe, planes).reshape(3, -1).mean(1)
            return float(lab[0]), float(lab[1]), float(lab[2])

        return self.on_render_thread(work)

    def plate_at(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int) -> tuple[float, float, float]:
        """Mean plate values about a place of the full-size picture, as passes receive them."""

        def work() -> tuple[float, float, float]:
            red, green, blue = (
                self._square(source, key, recipe.with_switch("passes", False), x, y, radius).planes.reshape(3, -1).mean(1)
            )
            return float(red), float(green), float(blue)

        return self.on_render_thread(work)

    def _square(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int) -> "_Square":
        """Planes after the local stage of a square of the finished picture's full-size pixels."""
        source, key = self.repaired(source, key, recipe)
        plan = source.plan(recipe)
        framed = self.framed(source, key, plan.frame)
        window = _square_of(framed, x, y, radius)
        outer = window.grown(self.stages.margin(framed, plan))
        planes = self.stages.local(framed, key, plan, outer, keep=False)
        return _Square(framed, plan, window, np.ascontiguousarray(planes[(slice(None), *window.inside(outer))]))

    def _linear(self, square: "_Square", key: str, recipe: Recipe, space: str, linear: bool = True) -> Float32:
        """Values of a square as they are delivered, before sharpening and grain."""
        s = square
        return lit(
            self.stages.areas, s.framed, key, recipe, s.plan, s.planes, s.window, space, linear_output=linear, keep=False
        ).to_float()

    def recorded_at(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int) -> Float32:
        """Plates as the sensor recorded them about a place of the finished picture."""
        framed = self.framed(source, key, source.plan(recipe).frame)
        window = _square_of(framed, x, y, radius)
        return self.on_render_thread(lambda: self.stages.recorded.plates(framed, key, window, False))

    def sample(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int, space: str) -> dict[str, Any]:
        """Mean of a square of full-size pixels about (x, y): delivered values before sharpening and grain, L*a*b*, camera values,
        clipped share."""
        return self.on_render_thread(lambda: self._sample(source, key, recipe, x, y, radius, space))

    def _sample(self, source: Source, key: str, recipe: Recipe, x: int, y: int, radius: int, space: str) -> dict[str, Any]:
        plates = self.recorded_at(source, key, recipe, x, y, radius)
        linear = self._linear(self._square(source, key, recipe, x, y, radius), key, recipe, space)
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
        square = self._square(source, key, recipe, x, y, DEPTH_RADIUS)
        found = depth_of(self._linear(square, key, recipe, space, linear=False))
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
        stages = Stages(ReadAgain(self.plates.read_once), ByteCache(SMALL_OF_A_DELIVERY), self._stage_bytes, best=True)
        source, key = self.repaired(source, key or f"delivery {next(_SERIAL)}", recipe, quick=False)
        return deliver_whole(
            stages, self.framed(source, key, source.plan(recipe).frame), key, recipe, space, bits, long_edge, progress
        )


@dataclass(frozen=True)
class _Square:
    """Planes after the local stage of a square of the finished picture, and what they were made by."""

    framed: Framed
    plan: LightPlan
    window: Window
    planes: Float32


def area_of(recipe: Recipe, number: int) -> AreaPlan:
    """Area of one of a recipe's passes, switched on or not; raises :class:`RecipeError`."""
    passes = recipe.value("passes", "passes")
    if not 0 <= number < len(passes):
        raise RecipeError("There is no such pass.")
    area: AreaPlan = passes[number].area.planned()
    return area


def _square_of(framed: Framed, x: int, y: int, radius: int) -> Window:
    x0, y0 = max(x - radius, 0), max(y - radius, 0)
    x1, y1 = min(x + radius + 1, framed.width), min(y + radius + 1, framed.height)
    if x0 >= x1 or y0 >= y1:
        raise RecipeError("That place lies outside the picture.")
    return Window(framed.width, framed.height, x0, y0, x1 - x0, y1 - y0)


def _through(framed: Framed, plan: LightPlan, request: ViewRequest) -> tuple[Framed, LightPlan]:
    """The plane seen through the request's rectangle, without what belongs to the edges of the finished picture."""
    assert request.plane is not None
    left, top, width, height = request.plane
    if not (1 <= width <= LARGEST_SIDE and 1 <= height <= LARGEST_SIDE and abs(left) < 1e6 and abs(top) < 1e6):
        raise RecipeError("The view asked for has no size.")
    plan = replace(plan, local=replace(plan.local, vignette=None), finish=replace(plan.finish, border_share=0.0))
    return framed.over(left, top, round(width), round(height)), plan
