"""Small sets of every kind, drawn from one world: looked at, and made."""

from collections.abc import Callable
from dataclasses import replace
from functools import cache, partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tests.contract.test_operations import rendered
from tests.reference.test_noise import mosaic_of
from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.formats.capture import CaptureData
from zincplate.formats.decode import decode
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.focus.options import FocusOptions, Touch
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at, merged
from zincplate.merges.options import BracketOptions
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.view import Opened, opened
from zincplate.sources.file import Source

Planes = NDArray[np.float32]
W, H = 480, 320
NEUTRAL = np.array([0.5, 1, 0.7], np.float32)
SLOPE, OFFSET = 4e-5, 1e-7


@cache
def world() -> Planes:
    """Light (3, 900, 1500) about 0.2: clouds of every size, slates with edges, in several colours."""
    rng = np.random.default_rng(12)
    size = (1500, 900)
    grey = np.zeros((900, 1500), np.float32)
    for step in (3, 6, 12, 40, 150):
        coarse = rng.standard_normal((900 // step + 2, 1500 // step + 2)).astype(np.float32)
        grey += 0.22 * cv2.resize(coarse, size, interpolation=cv2.INTER_CUBIC)
    for x, y, w, h in rng.integers((0, 0, 20, 20), (1440, 840, 140, 140), (160, 4)):
        grey[y : y + h, x : x + w] += rng.normal(0, 0.5)
    tint = np.stack(
        [cv2.resize(rng.standard_normal((8, 12)).astype(np.float32), size, interpolation=cv2.INTER_CUBIC) for _ in range(3)]
    )
    return np.asarray(np.clip(0.2 * np.exp(0.6 * grey + 0.12 * tint), 0.004, 1.5), np.float32)


def laid(x_px: float, y_px: float, degrees: float = 0.0, scale: float = 1.0, of: Planes | None = None) -> Planes:
    """The world as a frame shows it whose middle lies at a place of it."""
    c, s = scale * np.cos(np.radians(degrees)), scale * np.sin(np.radians(degrees))
    to_world = np.array([[c, -s, x_px - c * W / 2 + s * H / 2], [s, c, y_px - s * W / 2 - c * H / 2]])
    way = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    return np.stack(
        [cv2.warpAffine(p, to_world, (W, H), flags=way, borderMode=cv2.BORDER_REFLECT) for p in (world() if of is None else of)]
    )


def turned(yaw_degrees: float, pitch_degrees: float, roll_degrees: float = 0.0, focal_px: float = 420.0) -> Planes:
    """The world, painted on a wall in front, as a camera shows it that only turns."""
    y, p, r = np.radians([yaw_degrees, pitch_degrees, roll_degrees])
    turn = cv2.Rodrigues(np.array([0, y, 0]))[0] @ cv2.Rodrigues(np.array([p, 0, 0]))[0] @ cv2.Rodrigues(np.array([0, 0, r]))[0]
    camera = np.array([[focal_px, 0, W / 2], [0, focal_px, H / 2], [0, 0, 1]])
    wall = np.array([[600.0, 0, 750], [0, 600, 450], [0, 0, 1]])
    to_world = wall @ turn @ np.linalg.inv(camera)
    return np.stack([cv2.warpPerspective(p, to_world, (W, H), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP) for p in world()])


def raw(light: Planes, seed: int, ev: float = 0.0, told_ev: float | None = None, noise_told: bool = True) -> Source:
    """A raw file of camera light, exposed by ``ev`` stops more; it tells so unless ``told_ev`` says otherwise."""
    planes = light * NEUTRAL[:, None, None] * np.float32(2.0**ev)
    mosaic = mosaic_of(np.clip(planes, 0, 1), SLOPE, OFFSET, seed)
    colour = CameraColour(
        CameraMatrices.plain((0.8, -0.2, -0.1, -0.4, 1.2, 0.2, -0.1, 0.2, 0.7), 6504.0), tuple(NEUTRAL.tolist())
    )
    time_s = 0.01 * 2.0 ** (ev if told_ev is None else told_ev)
    taken_at = f"2026-05-12T07:08:{seed % 60:02d}.000"
    capture = CaptureData(
        width=W,
        height=H,
        raw=True,
        exposure_time_s=time_s,
        f_number=8.0,
        iso=100,
        focal_length_35mm=35.0 * 420 / W,
        captured_at=taken_at,
    )
    told = ((SLOPE, OFFSET),) * 3 if noise_told else ()
    return Source(Decoded("mosaic", mosaic, capture, colour, black=(512.0,) * 4, white=16383.0, noise_profile=told))


def bracket() -> list[Source]:
    """Three exposures from the hand; somebody dark crosses."""
    found = []
    for number, ev in enumerate((-2.5, -0.5, 1.5)):
        light = laid(740 + 5.3 * number, 450 - 3.1 * number, 0.3 * number)
        light[:, 120:230, 90 + 110 * number : 130 + 110 * number] *= 0.12
        found.append(raw(light, number, ev))
    return found


def finished_bracket() -> list[Source]:
    """The same scene as pictures whose tones were bent."""
    found = []
    for number, ev in enumerate((-1.5, 0.0, 1.5)):
        codes = np.clip(laid(740 + 2 * number, 450) * 2.0**ev, 0, 1) ** 0.38
        noisy = codes + 0.004 * np.random.default_rng(number).standard_normal(codes.shape)
        source = rendered(np.moveaxis(np.rint(np.clip(noisy, 0, 1) * 255).astype(np.uint8), 0, -1).copy())
        source.capture = replace(source.capture, exposure_time_s=0.01 * 2.0**ev, f_number=8.0, iso=100)
        found.append(source)
    return found


def series() -> list[Source]:
    """Six dim frames, shifted and turned a little, a bright trail through one."""
    found = []
    for number in range(6):
        light = 0.25 * laid(750 + 2.7 * number, 450 + 1.3 * number, 0.15 * number)
        if number == 3:
            light[:, 150:154] += 0.5
        found.append(raw(light, 10 + number))
    return found


def stars() -> list[Source]:
    """Five frames of a turning sky with a slope of light over it."""
    rng = np.random.default_rng(5)
    places = rng.uniform((-100, -100), (W + 100, H + 100), (160, 2))
    flux = np.exp(rng.normal(-1.2, 0.8, 160))
    y, x = np.mgrid[:H, :W]
    found = []
    for number in range(5):
        a = np.radians(0.35 * number)
        middle = np.array([W / 2, H * 1.4])
        moved = (places - middle) @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]]) + middle + 0.4 * number
        sky = 0.01 + 0.01 * y / H + 0.004 * number * x / W
        for (px, py), f in zip(moved, flux, strict=True):
            if -9 < px < W + 9 and -9 < py < H + 9:
                part = np.s_[max(int(py) - 7, 0) : max(int(py) + 8, 0), max(int(px) - 7, 0) : max(int(px) + 8, 0)]
                sky[part] += f * np.exp(-((x[part] - px) ** 2 + (y[part] - py) ** 2) / (2 * 1.25**2))
        if number == 2:
            sky[60 + np.arange(200) // 2, 100 + np.arange(200)] += 0.3
        found.append(raw(np.stack([sky] * 3).astype(np.float32), 30 + number))
    return found


def focus() -> list[Source]:
    """Five frames, focused from the left to the right, a little larger each time; an edge stands before the rest."""
    y, x = np.mgrid[:H, :W]
    depth = x / W * 4
    depth[(y > 200) & (x > 250)] = 0.5
    found = []
    for number in range(5):
        sharp = laid(750, 450, scale=1 - 0.004 * number)
        out = np.zeros_like(sharp)
        radius = np.abs(depth - number)
        for level in range(9):
            near = np.clip(1 - np.abs(radius / 0.5 - level), 0, 1).astype(np.float32)
            out += near * np.stack([cv2.GaussianBlur(p, (0, 0), 0.3 + 0.9 * level) for p in sharp])
        found.append(raw(out, 50 + number))
    return found


def panorama() -> list[Source]:
    """Four frames side by side, one metered brighter."""
    return [raw(turned(-24 + 16 * n, (2, -1, 1, -2)[n], 0.6 * n), 70 + n, ev=(0.0, 0.4, 0.0, -0.2)[n]) for n in range(4)]


SETS: dict[str, tuple[Callable[[], list[Source]], Any]] = {
    "bracket": (bracket, BracketOptions()),
    "bracket, noise": (bracket, BracketOptions(noise=60, ghosts=90, reference=0)),
    "bracket, nothing moved": (bracket, BracketOptions(ghosts=0)),
    "finished bracket": (finished_bracket, BracketOptions()),
    "series": (series, SeriesOptions()),
    "series, median": (series, SeriesOptions(method="median")),
    "series, mean as taken": (series, SeriesOptions(method="mean", align="none")),
    "stars": (stars, SeriesOptions()),
    "stars, still land": (stars, SeriesOptions(still_land=True, even_sky=False, deviations=3.0)),
    "focus": (focus, FocusOptions()),
    "focus, touched": (focus, FocusOptions(touches=(Touch(frame=4, radius=0.05, points=((0.3, 0.3), (0.5, 0.6))),))),
    "panorama": (panorama, PanoramaOptions()),
    "panorama, filled": (panorama, PanoramaOptions(projection="cylinder", rectangle=80, cut=False)),
    "panorama, turned": (
        panorama,
        PanoramaOptions(projection="sphere", yaw_degrees=6, pitch_degrees=-4, roll_degrees=3, even=False),
    ),
}  # fmt: skip


@cache
def frames(taken: Callable[[], list[Source]]) -> list[Opened]:
    return opened([(f"TW-00{number:02d}.dng", source) for number, source in enumerate(taken())])


KEPT = Kept()


def looked(name: str) -> NDArray[np.float64]:
    taken, options = SETS[name]
    look = look_at(frames(taken), options, LensDatabase(), lambda _: None, KEPT, taken.__name__)
    shown = [p for p in (look.picture, look.before, look.depth) if p is not None]
    rows = max(p.shape[0] for p in shown)
    return np.concatenate([cv2.copyMakeBorder(p, 0, rows - p.shape[0], 0, 0, cv2.BORDER_CONSTANT) for p in shown], axis=1) / 255


def made(name: str) -> NDArray[np.float64]:
    """The master's values, as light as it is shown."""
    taken, options = SETS[name]
    master = merged(frames(taken), options, LensDatabase(), "test", [], kept=KEPT, key=taken.__name__)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "master.dng"
        path.write_bytes(master.dng)
        read = decode(path)
    return np.asarray(read.pixels, np.float64) * 2.0 ** (read.camera.baseline_exposure_ev if read.camera else 0.0)


def cases(bent: bool = False) -> dict[str, Callable[[], NDArray[np.float64]]]:
    """Every set looked at and made; those whose picture is ``bent`` to fill a rectangle by themselves, since that makes small
    differences of cameras larger."""
    names = [name for name in SETS if (getattr(SETS[name][1], "rectangle", 0) > 0) == bent]
    return {f"{name}, {how.__name__}": partial(how, name) for name in names for how in (looked, made)}
