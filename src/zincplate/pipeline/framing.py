"""The frame stage of one recipe on one source: which pixels the finished picture has, and where each comes from.

Frame coordinates (crops, drawn lines, later areas and repairs) are in long edges of the upright, unturned, uncropped and
uncorrected picture, from its upper left corner. Places of the finished picture are in its own full-size pixels.
"""

import math
from dataclasses import dataclass, fields, replace
from functools import cached_property
from typing import Self

import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.frame_map import FrameMap, Rectangle
from zincplate.core.geometry.orientation import turned_back, turned_points
from zincplate.core.geometry.projective import FramingError, Movements, apply, of_four_points, of_movements
from zincplate.core.geometry.radial import LensDataError, Radial, compose
from zincplate.core.geometry.rim_stretch import RimStretch, missing_along
from zincplate.core.geometry.sampling import Sampling
from zincplate.formats.dng.lens import curve_of
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.pipeline.lens_of import Shape, fitting_profile, focal_of, match_of
from zincplate.pipeline.windows import Window
from zincplate.plan.frame import NO_CORNERS, CropPlan, FramePlan
from zincplate.sources.file import Source
from zincplate.sources.rect import Rect

Float64 = NDArray[np.float64]

OWN_LENS = "the file"
"""Stands for the lens that a file describes itself, where a profile is named."""
FINEST = 3
SLACK_FULL, SLACK_REDUCED = 0.35, 0.75
"""How far apart on the source neighbouring pixels may lie, beyond one sample, before more places are read for each."""
SOFTEST = 0.8
"""Least distance on the source that reduced plates are made for: where a view enlarges more, it reads between samples."""
MOST = 0.6
"""Of the whole: from here on all of it is read, so that a turn of a large view meets again what was read for the last one."""
LARGEST_SIDE = 60_000
LEAST_LEFT = 0.1
"""Of the automatic crop's size is left at least, however far it is moved."""
VIEW_MARGIN = 0.02


@dataclass(frozen=True, eq=False, kw_only=True)
class Framing:
    """A frame plan on a file, its pixels aside. ``left`` and ``top`` are where the finished picture begins on the plane, in plane
    pixels (middle of the picture = 0). ``map`` has the size of the picture turned by quarters."""

    plan: FramePlan
    map: FrameMap
    left: float
    top: float
    width: int
    height: int
    shape: Shape
    """Of the file before quarter turns."""
    lenses: LensDatabase
    profile: str
    """Id of the lens profile in use; empty without one."""
    shrunk: bool = False
    """A drawn crop was made smaller to stay on the picture."""

    @property
    def key(self) -> tuple[object, ...]:
        """What pixels depend on, for caches."""
        way = (
            self.plan.quarter_turns,
            self.plan.mirror,
            self.plan.crop.mirrored,
            self.plan.crop.stretched,
            self.map.matrix.tobytes(),
            self.map.radial.key,
        )
        return (*way, self.left, self.top, self.width, self.height)

    def source_key(self, key: str) -> str:
        """Cache key of the turned source."""
        turned = self.plan.quarter_turns or self.plan.mirror
        return f"{key}/{self.plan.quarter_turns}{'m' if self.plan.mirror else ''}" if turned else key

    @property
    def unturned(self) -> tuple[int, int]:
        """Width and height of the file before quarter turns."""
        return self.shape.width, self.shape.height

    @property
    def focal_px(self) -> float:
        """Focal length in pixels."""
        return focal_of(self.shape, self.lenses)[0]

    @property
    def focal_known(self) -> bool:
        """Whether the file tells it."""
        return focal_of(self.shape, self.lenses)[1]

    def notes(self) -> list[str]:
        """What of the finished picture is not as it was asked for, or not from the file; sentences."""
        found = []
        if self.shrunk:
            what = "The crop" if self.plan.crop.middle is not None else "The picture"
            found.append(f"{what} was made smaller ({self.width} x {self.height}) to stay on what the file shows.")
        if self.rim is not None:
            found.append(f"The border is stretched by up to {self.rim.most_px:.0f} px to fill the crop.")
        if self.bare >= 0.0005:
            how = "its mirror image" if self.plan.crop.mirrored else "its edge, drawn out"
            found.append(f"{self.bare:.1%} lies beyond the picture and shows {how}.")
        return found

    @cached_property
    def bare(self) -> float:
        """Share 0..1 of the finished picture where nothing of the file stands."""
        return self.beyond if self.rim is None else 0.0

    @cached_property
    def rim(self) -> RimStretch | None:
        """How the border is drawn out, where that is asked for and something is missing."""
        if not self.plan.crop.stretched or self.beyond == 0:
            return None
        outline = self.map.to_source(self.rectangle.edge(64))
        return missing_along(outline, self.map.width, self.map.height) if np.isfinite(outline).all() else None

    @property
    def direct(self) -> bool:
        """Whether pixels are taken as they are: nothing but quarter turns, mirror and crop."""
        return self.map.identity and self.beyond == 0

    @property
    def rectangle(self) -> Rectangle:
        """The finished picture on the plane."""
        return Rectangle(self.left + self.width / 2, self.top + self.height / 2, self.width, self.height)

    @cached_property
    def beyond(self) -> float:
        """Share 0..1 of the finished picture that the source does not reach."""
        if self.map.covers(self.rectangle):
            return 0.0
        x, y = np.meshgrid((np.arange(96) + 0.5) / 96 * self.width, (np.arange(96) + 0.5) / 96 * self.height)
        source = self.map.to_source(np.stack([x.ravel() + self.left, y.ravel() + self.top], 1))
        size = np.array([self.map.width, self.map.height])
        inside = ((source >= 0) & (source <= size)).all(1)
        return max(1 - float(inside.mean()), 1e-6)

    @cached_property
    def steps(self) -> tuple[float, float]:
        """Least and greatest distance on the source of neighbouring finished pixels."""
        least, greatest = self.map.steps(self.rectangle)
        return max(least, 0.2), min(greatest, 5.0)

    def to_frame(self, finished: Float64) -> Float64:
        """(n, 2) full-size pixels of the finished picture -> frame coordinates; NaN where no ray of the picture goes."""
        source = self.map.to_source(np.asarray(finished, np.float64) + np.array([self.left, self.top]))
        if self.rim is not None:
            source = self.rim.into(source)
        width, height = self.unturned
        return turned_back(source, width, height, self.plan.quarter_turns, self.plan.mirror) / max(self.unturned)

    def from_frame(self, frame: Float64) -> Float64:
        """Frame coordinates -> full-size pixels of the finished picture."""
        source = self.source_of_frame(frame)
        return self.map.to_plane(source if self.rim is None else self.rim.out_of(source)) - [self.left, self.top]

    def source_of_frame(self, frame: Float64) -> Float64:
        """Frame coordinates -> full-size pixels of the turned source."""
        pixels = np.asarray(frame, np.float64) * max(self.unturned)
        return turned_points(pixels, *self.unturned, self.plan.quarter_turns, self.plan.mirror)

    def over(self, left: float, top: float, width: int, height: int) -> Self:
        """The same plane seen through another rectangle, as finely as the finished picture asks for."""
        other = replace(self, left=left, top=top, width=width, height=height)
        # far beyond the picture the map may be drawn out without end: it does not decide how finely the source is read
        other.__dict__["steps"] = self.steps
        other.__dict__["rim"] = None
        other.__dict__["beyond"] = 0.0 if self.map.covers(other.rectangle) else 1e-6
        return other

    def direct_window(self, window: Window) -> Window:
        """The window of the source for a window of the finished picture, when nothing is resampled. Of an uncropped one it is the
        same window, so that what was read for it serves the first turn too."""
        left, top = self.left + self.map.width / 2, self.top + self.map.height / 2
        if (left, top, self.width, self.height) == (0, 0, self.map.width, self.map.height):
            return window
        return replace(window, left=left, top=top, span_x=float(self.width), span_y=float(self.height))

    def sampling(self, window: Window, source_window: Window, reach: Rect | None = None) -> Sampling:
        """How a window of the finished picture reads planes of a window of the source. ``reach``: what of the plane of the
        source the planes hold, where that is more than the picture."""
        step_x, step_y = self.width / window.full_width, self.height / window.full_height
        scale_x, scale_y = source_window.full_width / self.map.width, source_window.full_height / self.map.height
        # reduced plates are averages and soft already; full-size ones hold detail up to their last frequency
        slack = SLACK_FULL if scale_x == 1 else SLACK_REDUCED
        finer = min(max(math.ceil(self.steps[1] * max(step_x * scale_x, step_y * scale_y) - slack), 1), FINEST)
        return Sampling(
            self.map.inverse,
            self.left + window.x * step_x,
            self.top + window.y * step_y,
            step_x,
            step_y,
            self.map.width,
            self.map.height,
            scale_x,
            scale_y,
            source_window.x,
            source_window.y,
            self.plan.crop.mirrored,
            (reach.x, reach.y, reach.right, reach.bottom) if reach is not None else None,
            self.rim,
            finer,
        )

    def source_window(self, window: Window, margin: int, reach: Rect | None = None) -> Window:
        """The part of the source, at a suitable size, that a window of the finished picture reads; where it ``reach``es beyond
        the picture so may the part."""
        step = min(self.width / window.full_width, self.height / window.full_height)
        scale = 1 / (step * max(self.steps[0], SOFTEST))
        # sizes in steps of a fifth of an octave: a drag meets the same plates again
        scale = 1.0 if scale > 0.9 else 2 ** (math.ceil(5 * math.log2(scale)) / 5)
        scale = min(scale, 1.0)
        full_width = max(round(self.map.width * scale), 1)
        full_height = max(round(self.map.height * scale), 1)
        whole = Window(full_width, full_height, 0, 0, full_width, full_height)
        size = np.array([self.map.width, self.map.height], np.float64)
        low, high = np.zeros(2), size
        if reach is not None:
            low, high = np.array([reach.x, reach.y], np.float64), np.array([reach.right, reach.bottom], np.float64)
        reduced = np.array([full_width, full_height]) / size
        (least_x, least_y), (most_x, most_y) = np.floor(low * reduced).astype(int), np.ceil(high * reduced).astype(int)
        all_of_it = replace(whole, x=int(least_x), y=int(least_y), width=int(most_x - least_x), height=int(most_y - least_y))
        if full_width * full_height < 2_500_000:
            return all_of_it
        step_x, step_y = self.width / window.full_width, self.height / window.full_height
        grid = np.linspace(0, 1, 17)
        columns, rows = np.meshgrid(window.x + window.width * grid, window.y + window.height * grid)
        places = np.stack([self.left + columns.ravel() * step_x, self.top + rows.ravel() * step_y], 1)
        found = np.concatenate([self.map.to_source(places, channel) for channel in range(3)])
        found = found[np.isfinite(found).all(1)]
        if self.rim is not None:
            found = self.rim.into(found)
        if len(found) == 0:
            found = size[None] / 2
        if self.plan.crop.mirrored:
            held = ((found >= low) & (found <= high)).all(1, keepdims=True)
            found = np.where(held, found, size - np.abs(size - np.abs(found)))
        found = np.clip(found, low, high) * reduced
        # between the points of the grid the edge may bend out a little
        x0, y0 = (np.floor(found.min(0)) - margin - 2).astype(int)
        x1, y1 = (np.ceil(found.max(0)) + margin + 2).astype(int)
        x0, y0 = max(int(x0), int(least_x)), max(int(y0), int(least_y))
        x1, y1 = min(int(x1), int(most_x)), min(int(y1), int(most_y))
        if (x1 - x0) * (y1 - y0) > MOST * int(most_x - least_x) * int(most_y - least_y):
            return all_of_it
        return replace(whole, x=x0, y=y0, width=max(x1 - x0, 1), height=max(y1 - y0, 1))

    def around(self) -> Rectangle:
        """The rectangle of the plane that shows the whole picture and the crop, with a little room."""
        outline = np.concatenate([self.map.outline, self.rectangle.edge(1)])
        low, high = outline.min(0), outline.max(0)
        room = VIEW_MARGIN * float((high - low).max())
        width, height = (float(v) + 2 * room for v in high - low)
        return Rectangle(float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2, width, height)


@dataclass(frozen=True, eq=False, kw_only=True)
class Framed(Framing):
    """A source under a frame plan."""

    source: Source
    """Turned by quarters and mirrored."""

    @cached_property
    def reach(self) -> Rect | None:
        """What of the source's plane has something on it, where repairs go beyond the picture and the crop shows that."""
        if self.beyond == 0 or self.rim is not None:
            return None
        reach = self.source.reach
        return reach if reach.area != self.map.width * self.map.height else None

    @cached_property
    def bare(self) -> float:
        """Share 0..1 of the finished picture that the source does not reach and no repair has filled."""
        mended = self.source.mended
        if self.reach is None or mended is None:
            return self.beyond if self.rim is None else 0.0
        x, y = np.meshgrid((np.arange(96) + 0.5) / 96 * self.width, (np.arange(96) + 0.5) / 96 * self.height)
        places = np.stack([x.ravel(), y.ravel()], 1)
        source = self.map.to_source(places + np.array([self.left, self.top]))
        out = ~((source >= 0) & (source <= [self.map.width, self.map.height])).all(1)
        filled = mended.fills_at(self.to_frame(places[out]) * max(self.unturned))
        return float(out.sum() - filled.sum()) / len(places)


def framed(source: Source, plan: FramePlan, lenses: LensDatabase) -> Framed:
    """Resolves a plan; raises :class:`FramingError` with a sentence when it makes no sense on this source."""
    return of_source(framing(Shape(source.width, source.height, source.capture), plan, lenses), source)


def of_source(found: Framing, source: Source) -> Framed:
    """A resolved plan on a source of its shape."""
    known = {field.name: getattr(found, field.name) for field in fields(found)}
    return Framed(**known, source=source.turned(found.plan.quarter_turns, found.plan.mirror))


def framing(shape: Shape, plan: FramePlan, lenses: LensDatabase) -> Framing:
    """The same for a file that need not be open. The lens data are only looked at when the plan asks for them."""
    width, height = (shape.height, shape.width) if plan.quarter_turns % 2 else (shape.width, shape.height)
    profile = plan.lens.profile
    curve = curve_of(shape.capture.own_lens, shape.width, shape.height) if plan.lens.own and profile in ("", "auto") else None
    if profile == "auto" and curve is None:
        profile = fitting_profile(shape, lenses)
    if curve is not None:
        profile = OWN_LENS
    elif profile:
        capture, crop_factor = shape.capture, match_of(shape, lenses).crop_factor
        curve = lenses.curve(profile, crop_factor, shape.width, shape.height, capture.focal_length_mm, capture.f_number)
        if curve is None:
            name = profile.split(" / ")[1] if " / " in profile else profile
            raise FramingError(f"The lens data for {name} is not here. Choose another profile, or none.")
    lens = plan.lens
    try:
        shares = (lens.distortion, lens.lateral, lens.fall_off)
        radial = compose(math.hypot(width, height) / 2, curve, shares, lens.by_hand)
    except LensDataError as error:
        raise FramingError(str(error)) from error
    mapping = FrameMap(width, height, _matrix(plan, radial, width, height, shape, lenses), radial).checked()
    rectangle, shrunk = _crop(plan, mapping, shape)
    left, top, w, h = _pixels(rectangle, mapping, plan.crop)
    if max(w, h) > LARGEST_SIDE:
        raise FramingError("This framing makes a picture of more than 60,000 pixels along a side.")
    return Framing(
        plan=plan, map=mapping, left=left, top=top, width=w, height=h, shape=shape, lenses=lenses, profile=profile, shrunk=shrunk
    )


def _matrix(plan: FramePlan, radial: Radial, width: int, height: int, shape: Shape, lenses: LensDatabase) -> Float64:
    # without tilt and swing the angle of view does not matter
    focal_px = focal_of(shape, lenses)[0] if plan.tilt_degrees or plan.swing_degrees else float(max(width, height))
    movements = Movements(plan.roll_degrees, plan.tilt_degrees, plan.swing_degrees, plan.stretch)
    matrix = np.eye(3) if movements.neutral else of_movements(movements, focal_px)
    if plan.corners == NO_CORNERS:
        return matrix
    corners = np.array([[-width, -height], [width, -height], [width, height], [-width, height]]) / 2
    radius = np.hypot(*corners.T)
    ideal = corners * (radial.undistorted(radius) / radius)[:, None]
    moved = apply(matrix, ideal)
    if not np.isfinite(moved).all():
        raise FramingError("These movements go past the horizon of the picture. Take smaller ones.")
    return of_four_points(ideal, moved + np.reshape(plan.corners, (4, 2)) * max(width, height))


def _crop(plan: FramePlan, mapping: FrameMap, source: Shape) -> tuple[Rectangle, bool]:
    crop, long_edge = plan.crop, max(mapping.width, mapping.height)
    move_x, move_y = plan.moved_by(long_edge)
    if crop.middle is None:
        ratio = crop.ratio or mapping.width / mapping.height
        if mapping.identity and crop.ratio is None:
            rectangle = Rectangle(0, 0, mapping.width, mapping.height)
        else:
            rectangle = mapping.largest(ratio)
            if min(rectangle.width, rectangle.height) <= 0:
                raise FramingError("These movements leave nothing of the picture. Take smaller ones.")
    else:
        frame = np.array([crop.middle]) * max(source.width, source.height)
        middle = mapping.to_plane(turned_points(frame, source.width, source.height, plan.quarter_turns, plan.mirror))[0]
        if not np.isfinite(middle).all():
            raise FramingError("The middle of the crop is out of sight with these movements.")
        rectangle = Rectangle(float(middle[0]), float(middle[1]), crop.width * long_edge, crop.height * long_edge)
    moved = replace(rectangle, x=rectangle.x + move_x, y=rectangle.y + move_y)
    if not crop.keep_inside:
        return moved, False
    factor = mapping.inside(moved)
    if crop.middle is None and factor < LEAST_LEFT:
        # rise and shift go as far as the picture does
        share = 1.0
        while factor < LEAST_LEFT and share > 0:
            share -= 0.02
            moved = replace(rectangle, x=rectangle.x + share * move_x, y=rectangle.y + share * move_y)
            factor = mapping.inside(moved)
    # a picture of one pixel has no room for less
    if moved.width * factor < min(1, rectangle.width) * 0.999 or moved.height * factor < min(1, rectangle.height) * 0.999:
        raise FramingError("The crop lies beside the picture. Move it onto it, or let it reach beyond.")
    return (moved, False) if factor > 1 - 1e-4 else (moved.scaled(factor), True)


def _pixels(rectangle: Rectangle, mapping: FrameMap, crop: CropPlan) -> tuple[float, float, int, int]:
    """Left, top and whole-number size. Without resampling the crop falls on whole pixels."""
    width = max(int(rectangle.width + 1e-3 if crop.keep_inside else round(rectangle.width)), 1)
    height = max(int(rectangle.height + 1e-3 if crop.keep_inside else round(rectangle.height)), 1)
    ratio = rectangle.width / rectangle.height
    # a ratio such as 4:5 is kept to the pixel where the size allows
    if abs(round(width / ratio) - height) <= 1:
        height = max(min(round(width / ratio), height + (not crop.keep_inside)), 1)
    left, top = rectangle.x - width / 2, rectangle.y - height / 2
    if mapping.identity:
        left = round(left + mapping.width / 2) - mapping.width / 2
        top = round(top + mapping.height / 2) - mapping.height / 2
        if crop.keep_inside:
            left = min(max(left, -mapping.width / 2), mapping.width / 2 - width)
            top = min(max(top, -mapping.height / 2), mapping.height / 2 - height)
    return left, top, width, height
