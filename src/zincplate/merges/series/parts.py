"""A series at full size, strip by strip."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.merging.alignment import laid_on
from zincplate.core.merging.placement import Placement
from zincplate.core.merging.seams import chosen
from zincplate.core.merging.stacking import CLIPPED, MEAN, MEDIAN, combined, taken_off
from zincplate.merges.in_turn import all_of, workers
from zincplate.merges.laid import lay_into
from zincplate.merges.series.judge import SeriesJudgement, sky_powers
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.view import View

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

METHODS = {"clip": CLIPPED, "median": MEDIAN, "mean": MEAN}
ROWS, LEAST_ROWS, STRIP_BYTES = 256, 32, 320 << 20
"""Rows of a strip, halved as often as needed for its frames to take no more than so much."""
LAND_PX = 4.0
ROUGH_FROM = 2.0
"""Times the roughness of the smoothest tenth, from which on it is land."""
EDGE_COST, EDGE_EV = 0.6, 0.06
"""What the border between land and sky costs where there is no edge, and the slope (stops for a pixel) that is one."""
"""Reduced pixels over which variances are compared, to tell land from sky."""
SEAM_PX = 1.2


@dataclass(frozen=True)
class Strip:
    """Rows of the result."""

    top: int
    camera_values: Float32
    """(3, rows, width), 1 where the frame with the least light clips."""
    refused: NDArray[np.int64]
    """(members,) pixels that each was left out of by clipping."""


@dataclass(frozen=True)
class Land:
    """What stays still."""

    share: Float32
    """(h, w) reduced, 0 sky to 1 land."""
    frames: list[int]
    placements: list[Placement]
    exposure: list[float]


class _Stack:
    """Frames that are combined, with what a strip of them needs."""

    def __init__(
        self,
        judged: SeriesJudgement,
        frames: Sequence[int],
        placements: Sequence[Placement],
        exposure: Sequence[float],
        sky: bool,
    ) -> None:
        self.judged, self.frames, self.placements = judged, list(frames), list(placements)
        self.exposure = np.array(exposure, np.float32)
        lights = [judged.lights[i] for i in frames]
        self.neutral = [np.asarray(f.source.as_shot_neutral, np.float64) for f in lights]
        self.slope = np.stack([f.noise[0] * n for f, n in zip(lights, self.neutral, strict=True)]).astype(np.float32)
        self.offset = np.stack([f.noise[1] * n**2 for f, n in zip(lights, self.neutral, strict=True)]).astype(np.float32)
        self.sky = sky
        self.held: tuple[Float32, Float32] | None = None
        """Room for a strip of all, used again by the next one."""

    def strip(
        self, top: int, rows: int, width: int, method: int, deviations: float, pool: ThreadPoolExecutor
    ) -> tuple[Float32, NDArray[np.int64]]:
        """Camera values (3, rows, width) in the reference's light."""
        n = len(self.frames)
        if self.held is None or self.held[0].shape[2] != rows:
            self.held = np.empty((n, 3, rows, width), np.float32), np.empty((n, rows, width), np.float32)
        values, trust = self.held

        def lay(k: int) -> None:
            i = self.frames[k]
            still = self.placements[k].field is None and np.array_equal(self.placements[k].homography, np.eye(3))
            # a star may be as small as a hot site, which darks and the other frames tell as well
            hot_pixels = self.judged.by != "stars"
            factors = self.neutral[k].astype(np.float32)
            lay_into(values[k], trust[k], factors, self.judged.lights[i], self.placements[k], top, still, hot_pixels)
            if self.sky and np.abs(self.judged.sky[i]).max() > 0:
                taken_off(values[k], self.judged.sky[i] * float(self.exposure[k]), top, width)

        all_of(lay, range(n), pool)
        return combined(values, trust, self.exposure, self.slope, self.offset, method, deviations)


def parts(
    judged: SeriesJudgement, options: SeriesOptions, land: Land | None, breathe: Callable[[float], None] = lambda _: None
) -> Iterator[Strip]:
    """The result from top to bottom. ``breathe`` is told the share that is done."""
    base = judged.lights[judged.reference].source
    members = judged.members
    sky = _Stack(judged, members, [judged.placements[i] for i in members], [judged.exposure[i] for i in members], True)
    still = None if land is None else _Stack(judged, land.frames, land.placements, land.exposure, False)
    method, darkest = METHODS[options.method], np.float32(min(judged.exposure[i] for i in members))
    step = ROWS
    while step > LEAST_ROWS and 16 * step * base.width * len(members) > STRIP_BYTES:
        step //= 2
    with workers() as pool:
        for top in range(0, base.height, step):
            rows = min(step, base.height - top)
            out, refused = sky.strip(top, rows, base.width, method, options.deviations, pool)
            if still is not None and land is not None:
                share = _share(land, judged, top, rows, base.width)
                if share.max() > 0:
                    ground, _ = still.strip(top, rows, base.width, method, options.deviations, pool)
                    out = out * (1 - share) + ground * share
            breathe((top + rows) / base.height)
            yield Strip(top, np.asarray(out * darkest, np.float32), refused)


def _share(land: Land, judged: SeriesJudgement, top: int, rows: int, width: int) -> Float32:
    h, w = land.share.shape
    base = judged.lights[judged.reference].source
    x = (np.arange(width, dtype=np.float32) + np.float32(0.5)) * np.float32(w / base.width) - np.float32(0.5)
    y = (np.arange(top, top + rows, dtype=np.float32) + np.float32(0.5)) * np.float32(h / base.height) - np.float32(0.5)
    xx, yy = np.meshgrid(x, y)
    return np.asarray(cv2.remap(land.share, xx, yy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def land_of(judged: SeriesJudgement, views: Sequence[View], options: SeriesOptions) -> Land | None:
    """Where the land is, and the frames that show it: those that were named, or all of them as they were taken."""
    if not options.still_land or judged.by != "stars":
        return None
    base = views[judged.reference]
    turned, still = [], []
    for i in judged.members:
        light = np.asarray(views[i].green / np.float32(judged.exposure[i]), np.float32)
        laid, there = laid_on(light, *judged.placements[i].reduced(base.step, base.origin, base.size))
        still.append(light[::2, ::2])
        turned.append(np.where(there, laid, light)[::2, ::2])
    middle = [np.median(np.stack(s), 0) for s in (turned, still)]
    spread = [np.median(np.abs(np.stack(s) - m), 0) for s, m in zip((turned, still), middle, strict=True)]
    del turned, still
    # what stands still keeps its drawing in the middle of the frames as they were taken; stars move out of it, and sky is smooth
    light = np.log2(np.maximum(middle[1], 1e-6)).astype(np.float32)
    fine = light - cv2.GaussianBlur(light, (0, 0), 2.0)
    rough = np.sqrt(cv2.GaussianBlur(fine * fine, (0, 0), LAND_PX / 2))
    rough = rough / max(float(np.quantile(rough, 0.1)), 1e-6)
    # and it moves where frames are turned with the sky
    moves = np.log((spread[0] + 1e-6) / (spread[1] + 1e-6)).astype(np.float32)
    moves = cv2.GaussianBlur(moves, (0, 0), LAND_PX)
    is_land = np.clip((rough - ROUGH_FROM) / ROUGH_FROM, -1, 1) + np.clip(moves, -0.5, 0.5)
    # the sky is above, the land below: where nothing else tells, that does
    is_land = is_land * 0.1 + 0.004 * np.linspace(-1, 1, light.shape[0], dtype=np.float32)[:, None]
    dislike = np.stack([np.clip(is_land, 0, None), np.clip(-is_land, 0, None)]).astype(np.float32)
    # they meet at an edge
    slope = np.hypot(*(cv2.Sobel(cv2.GaussianBlur(light, (0, 0), 1.0), cv2.CV_32F, *o, scale=1 / 8) for o in ((1, 0), (0, 1))))
    apart = np.float32(EDGE_COST) * np.exp(-slope / np.float32(EDGE_EV)).astype(np.float32)
    labels = chosen(np.stack([np.zeros_like(apart), apart]), np.ones((2, *apart.shape), bool), dislike)
    share = _without_specks(labels == 1).astype(np.float32)
    share = cv2.resize(cv2.GaussianBlur(share, (0, 0), SEAM_PX), base.size[::-1], interpolation=cv2.INTER_LINEAR)
    if judged.land:
        frames = judged.land
        exposure = [_brightness(judged, views, i, share) for i in frames]
    else:
        frames = judged.members
        exposure = [judged.exposure[i] for i in frames]
    size = judged.lights[judged.reference].source
    return Land(share, frames, [Placement(np.eye(3), size.width, size.height)] * len(frames), exposure)


def _without_specks(land: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Land hangs together with the picture's edge; what does not is a star or a cloud, and holes in it are land."""
    out = land.copy()
    for value in (True, False):
        number, labels = cv2.connectedComponents((out == value).astype(np.uint8), connectivity=4)
        edge = {int(v) for line in (labels[0], labels[-1], labels[:, 0], labels[:, -1]) for v in np.unique(line)}
        keep = np.isin(np.arange(number), [*edge])
        out = np.where((out == value) & ~keep[labels], not value, out)
    return out


def _brightness(judged: SeriesJudgement, views: Sequence[View], i: int, share: Float32) -> float:
    """Light of a frame of the land against the reference: by its data, else by what both show of the land."""
    own, base = judged.lights[i].told_ev, judged.lights[judged.reference].told_ev
    if own is not None and base is not None:
        return float(2.0 ** (own - base))
    where = share > 0.9
    a, b = views[i].green[where], views[judged.reference].green[where]
    return float(np.median(a) / max(float(np.median(b)), 1e-9)) if where.any() else 1.0


def preview_values(judged: SeriesJudgement, views: Sequence[View], options: SeriesOptions, land: Land | None) -> Float32:
    """(3, h, w) reduced camera values as the series would be, in units of :class:`Strip`."""
    base = views[judged.reference]
    members = judged.members
    neutral = [np.asarray(judged.lights[i].source.as_shot_neutral, np.float32) for i in members]
    values = np.empty((len(members), 3, *base.size), np.float32)
    trust = np.empty((len(members), *base.size), np.float32)
    h, w = base.size
    xx, yy = np.meshgrid(np.arange(w, dtype=np.float64), np.arange(h, dtype=np.float64))
    full_x, full_y = (v * base.step + (base.step - 1) / 2 + o for v, o in zip((xx, yy), base.origin, strict=True))
    powers = sky_powers(full_x, full_y, judged.placements[judged.reference].width)
    for k, i in enumerate(members):
        places = judged.placements[i].reduced(base.step, base.origin, base.size)
        laid, there = laid_on(np.concatenate([views[i].planes, views[i].shown[None].astype(np.float32)]), *places)
        sky = np.einsum("ct,thw->chw", judged.sky[i] * judged.exposure[i], powers)
        values[k] = laid[:3] * neutral[k][:, None, None] - sky
        trust[k] = np.where(there, np.clip(laid[3] * 20 - 19, 0, 1), -1)
    exposure = np.array([judged.exposure[i] for i in members], np.float32)
    # means of many sites: less noise than a site has
    count = base.step * base.step / 2
    slope = np.stack([judged.lights[i].noise[0] * n / count for i, n in zip(members, neutral, strict=True)]).astype(np.float32)
    offset = np.stack([judged.lights[i].noise[1] * n**2 / count for i, n in zip(members, neutral, strict=True)]).astype(
        np.float32
    )
    out, _ = combined(values, trust, exposure, slope, offset, METHODS[options.method], options.deviations)
    if land is not None:
        ground = np.zeros_like(out)
        for i, t in zip(land.frames, land.exposure, strict=True):
            scale = np.asarray(judged.lights[i].source.as_shot_neutral, np.float32)[:, None, None] / np.float32(t)
            ground += views[i].planes * scale / np.float32(len(land.frames))
        out = out * (1 - land.share) + ground * land.share
    return np.asarray(out * exposure.min(), np.float32)
