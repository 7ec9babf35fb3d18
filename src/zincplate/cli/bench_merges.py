"""``./zincplate bench --merge``: panorama, focus series and series of drawn frames, against OpenCV's own routines on them."""

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import rawpy
from numpy.typing import NDArray

from zincplate.cli.bench import peak_mb
from zincplate.demo.camera import CameraModel, Settings, expose, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import Scene, drawn_field
from zincplate.formats.isolated import Decoder
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.formats.parked import held
from zincplate.merges.focus.options import FocusOptions
from zincplate.merges.kinds import Options, merged
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.view import opened
from zincplate.sources.file import Source

Picture = NDArray[np.uint8]
Turn = tuple[float, float, float]


def timed(work: Callable[[], Any]) -> tuple[float, Any]:
    begin = time.perf_counter()
    found = work()
    return time.perf_counter() - begin, found


def eight_bit(source: Source) -> np.ndarray[Any, Any]:
    planes = source.window(0, 0, source.width, source.height)
    return np.ascontiguousarray(np.clip(planes.transpose(1, 2, 0) * 255 + 0.5, 0, 255).astype(np.uint8))


def developed(paths: list[Path]) -> None:
    """What OpenCV's routines need of raw files first: pictures of 8 bits, by LibRaw as it does by itself (AHD)."""
    for path in paths:
        with rawpy.imread(str(path)) as raw:
            raw.postprocess(use_camera_wb=True, no_auto_bright=True)


def against(name: str, reading: float, ours: float, developing: float, theirs: float) -> dict[str, float]:
    """Both comparisons: of what is done to decoded pictures, and of the whole way from the files."""
    return {
        f"{name}: reading, ours": reading,
        f"{name}: all else, ours": ours,
        f"{name}: developing by LibRaw": developing,
        f"{name}: OpenCV": theirs,
        f"{name}: ours to OpenCV's, decoded pictures given": ours / theirs,
        f"{name}: ours to OpenCV's, raw files given": (reading + ours) / (developing + theirs),
    }


def _frames(folder: Path, name: str, camera: CameraModel, scene: Scene, count: int, turn: Turn) -> list[Path]:
    """The camera turns by ``turn`` (yaw, pitch, roll in degrees) from frame to frame."""
    lens, paths = ideal(50), []
    for i in range(count):
        settings = metered(scene, Settings(1 / 125, 8, 400, seed=i), 0.0)
        yaw, pitch, roll = (v * (i - (count - 1) / 2) for v in turn)
        settings = replace(settings, yaw_degrees=yaw, pitch_degrees=pitch, roll_degrees=roll)
        data = dng_bytes(camera, lens, settings, expose(scene, camera, lens, settings), f"2026-05-12T07:08:{i:02d}.000")
        paths.append(folder / f"{name}-{i:02d}.dng")
        paths[-1].write_bytes(data)
    return paths


def _stitched(pictures: list[Picture]) -> None:
    """OpenCV's stitcher at full size of the result, its own defaults otherwise."""
    stitcher = cv2.Stitcher.create(cv2.Stitcher_PANORAMA)
    stitcher.setCompositingResol(-1)
    status, _ = stitcher.stitch(pictures)
    if status != cv2.Stitcher_OK:
        raise RuntimeError(f"OpenCV could not stitch: {status}")


def _fused(pictures: list[Picture]) -> None:
    """Alignment by its correlation, and a fusion of Laplacian pyramids made of its functions."""
    base = cv2.cvtColor(pictures[0], cv2.COLOR_RGB2GRAY)
    ends = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 30, 1e-5)
    pyramids = []
    for picture in pictures:
        grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
        small = [cv2.resize(p, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA) for p in (base, grey)]
        _, matrix = cv2.findTransformECC(small[0], small[1], np.eye(2, 3, dtype=np.float32), cv2.MOTION_AFFINE, ends, None, 5)
        matrix[:, 2] *= 4
        size = (picture.shape[1], picture.shape[0])
        level = cv2.warpAffine(picture, matrix, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP).astype(np.float32)
        bands = []
        for _ in range(6):
            below = cv2.pyrDown(level)
            bands.append(level - cv2.pyrUp(below, dstsize=(level.shape[1], level.shape[0])))
            level = below
        pyramids.append([*bands, level])
    out = np.mean([p[-1] for p in pyramids], 0)
    for k in range(5, -1, -1):
        stack = np.stack([p[k] for p in pyramids])
        best = np.abs(stack[..., 1]).argmax(0)
        band = np.take_along_axis(stack, best[None, ..., None], 0)[0]
        out = cv2.pyrUp(out, dstsize=(band.shape[1], band.shape[0])) + band


def _averaged(pictures: list[Picture]) -> None:
    """Alignment by its correlation, and its running mean."""
    total = np.zeros(pictures[0].shape, np.float32)
    base = cv2.cvtColor(pictures[0], cv2.COLOR_RGB2GRAY)
    ends = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 30, 1e-5)
    for picture in pictures:
        grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
        small = [cv2.resize(p, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA) for p in (base, grey)]
        _, matrix = cv2.findTransformECC(small[0], small[1], np.eye(3, dtype=np.float32), cv2.MOTION_HOMOGRAPHY, ends, None, 5)
        size = (picture.shape[1], picture.shape[0])
        cv2.accumulate(cv2.warpPerspective(picture, matrix, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP), total)


def bench_kinds(quick: bool) -> dict[str, float]:
    """Seconds of the second of two runs, and the ratios to OpenCV's routines."""
    width, height = (3000, 2000) if quick else (6000, 4000)
    camera = CameraModel("Pennick", "Pennick Bench", width, height)
    view, still = drawn_field(2 * width, 2 * height, 3), drawn_field(width, height, 4)
    kinds: list[tuple[str, Options, Scene, int, Turn, Callable[[list[Picture]], None]]] = [
        ("panorama of 5", PanoramaOptions(projection="flat"), view, 5, (7.0, 0.0, 0.4), _stitched),
        ("focus series of 8", FocusOptions(), still, 8, (0.004, 0.0, 0.0), _fused),
        ("series of 12", SeriesOptions(), still, 12, (0.01, -0.006, 0.0), _averaged),
    ]
    figures: dict[str, float] = {}
    lenses, decoder = LensDatabase(), Decoder()
    with tempfile.TemporaryDirectory() as folder:
        for name, options, scene, count, turn, theirs in kinds:
            paths = _frames(Path(folder), name.replace(" ", "-"), camera, scene, count, turn)
            reading = seconds = 0.0
            for _ in range(2):
                reading, sources = timed(lambda: [(p.name, Source(held(decoder.decode(p), len(paths)))) for p in paths])  # noqa: B023
                frames = opened(sources)
                seconds, _ = timed(lambda: merged(frames, options, lenses, "bench", []))  # noqa: B023
            pictures = [eight_bit(f.source) for f in frames]
            opencv, _ = timed(lambda: theirs(pictures))  # noqa: B023
            developing, _ = timed(lambda: developed(paths))  # noqa: B023
            figures |= against(name, reading, seconds, developing, opencv)
            for path in paths:
                path.unlink()
    figures["peak memory of all, MB"] = peak_mb()
    return figures
