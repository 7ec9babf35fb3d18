"""``./zincplate bench --merge``: a bracket of three from the hand, against OpenCV's own routines on the same frames."""

import json
import tempfile
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from zincplate.cli.bench import peak_mb
from zincplate.cli.bench_merges import against, bench_kinds, developed, eight_bit, timed
from zincplate.demo.camera import CameraModel, Settings, expose, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import drawn_field
from zincplate.formats.isolated import Decoder
from zincplate.merges.judge import judge
from zincplate.merges.master import merge_bracket
from zincplate.merges.options import BracketOptions
from zincplate.merges.view import opened
from zincplate.sources.file import Source

STEPS_EV = (-2.0, 0.0, 2.0)


def _frames(folder: Path, width: int, height: int) -> list[Path]:
    """Drawn, not a photograph: enough drawing everywhere to be laid on itself, turned by some pixels."""
    camera, lens = CameraModel("Pennick", "Pennick Bench", width, height), ideal(50)
    scene = drawn_field(width, height)
    paths = []
    for i, ev in enumerate(STEPS_EV):
        settings = metered(scene, Settings(1 / 125, 8, 200, seed=i), ev)
        settings = replace(settings, yaw_degrees=0.02 * i, pitch_degrees=-0.01 * i)
        paths.append(folder / f"bench-{i}.dng")
        paths[-1].write_bytes(
            dng_bytes(camera, lens, settings, expose(scene, camera, lens, settings), f"2026-05-12T07:08:0{i}.000")
        )
    return paths


def bench_merge(as_json: bool, quick: bool) -> None:
    """Prints seconds, the second of two runs, and the ratio to OpenCV, of a bracket and of the other kinds."""
    width, height = (3000, 2000) if quick else (6000, 4000)
    figures: dict[str, float] = {"megapixels of each of 3 frames": width * height / 1e6}
    with tempfile.TemporaryDirectory() as name:
        paths = _frames(Path(name), width, height)
        decoder = Decoder()
        before = peak_mb()
        for _ in range(2):
            taken, sources = timed(lambda: [(p.name, Source(decoder.decode(p))) for p in paths])
            figures["reading"] = taken
            frames = opened(sources)
            figures["looking at them"], judged = timed(lambda: judge(frames, BracketOptions()))  # noqa: B023
            figures["adding up, and the file"], _ = timed(
                lambda: merge_bracket(frames, judged, BracketOptions(), "bench", [])  # noqa: B023
            )
        figures["all of it"] = sum(figures[k] for k in ("reading", "looking at them", "adding up, and the file"))
        figures["peak memory, MB"] = peak_mb()
        figures["of that before, MB"] = before
        pictures = [eight_bit(frame.source) for frame in frames]
        times = np.array([2.0**ev for ev in STEPS_EV], np.float32)

        def theirs() -> None:
            aligned = list(pictures)
            cv2.createAlignMTB().process(pictures, aligned)
            cv2.createMergeDebevec().process(aligned, times)  # they are linear: no response has to be found

        opencv, _ = timed(theirs)
        developing, _ = timed(lambda: developed(paths))
    own = figures["looking at them"] + figures["adding up, and the file"]
    figures |= against("bracket of 3", figures["reading"], own, developing, opencv)
    figures |= bench_kinds(quick)
    if as_json:
        print(json.dumps(figures, indent=1))
        return
    for name, value in figures.items():
        print(f"{name:58} {value:8.2f}")
