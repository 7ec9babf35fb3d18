"""Timed work on a drawn 24-megapixel frame, as ratios to a memory copy and to reference libraries (never a test).

Every figure is the median of several runs in this process; the ratios, not the milliseconds, are what is comparable.
Runs that stand for a whole delivery are made in child processes, so that their peak memory is their own.
"""

import json
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import rawpy
import simplejpeg

from zincplate.demo.camera import CameraModel, Settings, expose, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import drawn_field
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render.develop import Delivery, develop
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest, fitted

USUAL: dict[str, dict[str, Any]] = {"tone": {"exposure_ev": 0.4, "contrast": 12, "black_point": -6, "white_point": 5}}
EVERYTHING: dict[str, dict[str, Any]] = {
    "balance": {"temperature_kelvin": 5200, "tint": 4},
    "tone": {
        **USUAL["tone"],
        "shadows": 40,
        "highlights": -30,
        "curve_rgb": [[0, 0], [0.25, 0.22], [0.75, 0.79], [1, 1]],
        "curve_red": [[0, 0.01], [1, 0.99]],
        "curve_luminance": [[0, 0], [0.5, 0.52], [1, 1]],
    },
    "colour": {"vibrance": 20, "red_hue": 20, "blue_saturation": 30, "toning_shadows": 10},
    "definition": {
        "clarity": 20,
        "haze": 20,
        "sharpen_amount": 100,
        "sharpen_threshold": 2,
        "luminance_noise": 40,
        "colour_noise": 50,
        "hot_pixels": True,
    },
    "finish": {"edge_light_ev": -0.4, "grain": 15},
}
FRAMED: dict[str, dict[str, Any]] = {
    "framing": {"angle": 2, "tilt": 6, "swing": -4, "bend": -2, "bend_edge": 0.5, "fringe_red": 0.3, "corner_light": 0.4}
}
"""Everything that moves pixels, on top of the usual recipe."""
SLIDES: dict[str, tuple[str, str, float]] = {
    "exposure": ("tone", "exposure_ev", 0.001),
    "balance": ("balance", "temperature_kelvin", 1.0),
    "curve": ("tone", "curve_rgb", 0.001),
    "saturation": ("colour", "saturation", 0.1),
    "clarity": ("definition", "clarity", 0.1),
    "haze": ("definition", "haze", 0.1),
    "noise": ("definition", "luminance_noise", 0.1),
    "sharpening": ("definition", "sharpen_amount", 0.1),
    "angle": ("framing", "angle", 0.01),
}
"""What is dragged: step, control, size of one move."""


LARGE_WINDOWS = {"2560 x 1440": (2060, 1332), "3840 x 2160": (3340, 2052)}
"""Room of the picture on the bench in large windows."""
_REFERENCE = """
import sys, numpy, rawpy, simplejpeg
with rawpy.imread(sys.argv[1]) as raw:
    picture = raw.postprocess(use_camera_wb=True, no_auto_bright=True, demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD)
open(sys.argv[2], "wb").write(simplejpeg.encode_jpeg(numpy.ascontiguousarray(picture), 92, "RGB", "444"))
"""


def _commands(path: Path) -> dict[str, tuple[list[str], list[str]]]:
    """Commands as whole processes, and what each is compared with."""
    python = [sys.executable, "-W", "ignore"]
    ours_as_command = [*python, "-m", "zincplate.cli.main"]
    out = path.with_name("out.jpg")
    return {
        "schema": ([*ours_as_command, "schema"], []),
        "info": ([*ours_as_command, "info", str(path)], []),
        "develop": (
            [*ours_as_command, "develop", str(path), "-o", str(out), "--overwrite", "--quality", "92"],
            [*python, "-c", _REFERENCE, str(path), str(out)],
        ),
    }


def median_ms(work: Callable[[], Any], runs: int = 9, warm: int = 2) -> float:
    """Median of several runs after some that do not count."""
    for _ in range(warm):
        work()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append((time.perf_counter() - start) * 1000)
    return statistics.median(times)


def _copy_ms(pixels: int) -> float:
    a = np.ones(pixels * 3, np.float32)
    b = np.empty_like(a)
    return median_ms(lambda: np.copyto(b, a), runs=15)


def write_frame(folder: Path, width: int, height: int) -> Path:
    """A drawn frame as a raw file."""
    camera = CameraModel("Pennick", "Pennick Field 24", width, height)
    lens, scene = ideal(), drawn_field(width, height)
    settings = metered(scene, Settings(1 / 125, 8, 200), 0.3)
    path = folder / "bench.dng"
    path.write_bytes(dng_bytes(camera, lens, settings, expose(scene, camera, lens, settings), "2026-05-12T07:00:00"))
    return path


def ours(path: Path, recipe: Recipe, decoder: Decoder) -> int:
    """The whole file to JPEG, as a worker does it (its decoding child is running); returns the number of bytes."""
    renderer = Renderer(decoder)
    source = renderer.open(path, "bench")
    data, _ = develop(renderer, source, recipe, Delivery(quality=92))
    return len(data)


def reference(path: Path) -> int:
    """LibRaw's own AHD demosaic and conversion, then JPEG of the same quality."""
    with rawpy.imread(str(path)) as raw:
        picture = raw.postprocess(use_camera_wb=True, no_auto_bright=True, demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD)
    return len(simplejpeg.encode_jpeg(np.ascontiguousarray(picture), 92, "RGB", "444"))


def peak_mb(pid: int | str = "self") -> float:
    """Largest resident memory of a process so far, in MB (VmHWM: unlike ru_maxrss it begins anew with the program)."""
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmHWM:"):
            return int(line.split()[1]) / 1024
    return 0.0


def child_main(what: str, path: Path) -> None:
    """In a child of its own: five runs, median time and peak memory as JSON."""
    decoder = Decoder()
    recipe = Recipe.neutral(raw=True).with_values(
        {"usual": USUAL, "framed": USUAL | FRAMED, "everything": EVERYTHING}.get(what, {})
    )
    work = (lambda: reference(path)) if what == "reference" else (lambda: ours(path, recipe, decoder))
    work()
    # of one delivery: the runs after it open the file anew while what they replace is still held
    peak = peak_mb() + sum(peak_mb(p) for p in decoder.process_ids)
    print(json.dumps({"ms": median_ms(work, runs=5, warm=0), "peak_mb": peak}))


def _child(what: str, path: Path) -> dict[str, float]:
    code = f"from pathlib import Path; from zincplate.cli.bench import child_main; child_main({what!r}, Path({str(path)!r}))"
    done = subprocess.run([sys.executable, "-W", "ignore", "-c", code], capture_output=True, text=True, check=True)
    return dict(json.loads(done.stdout.splitlines()[-1]))


def measure(quick: bool) -> dict[str, Any]:
    """All figures."""
    width, height = (3000, 2000) if quick else (6000, 4000)
    with tempfile.TemporaryDirectory() as folder:
        path = write_frame(Path(folder), width, height)
        decoder = Decoder()
        decoder.facts(path)  # the child is running, as it is in the web process
        rows: dict[str, dict[str, float]] = {}

        def row(name: str, ms: float, pixels: int, **more: float) -> None:
            rows[name] = {"ms": round(ms, 1), "copies": round(ms / _copy_ms(pixels), 1), **more}

        def open_first() -> None:
            renderer = Renderer(decoder)
            source = renderer.open(path, "bench")
            request = ViewRequest(*fitted(source, 1000, 667))
            view = renderer.view(source, "bench", Recipe.neutral(True), request)
            simplejpeg.encode_jpeg(view.picture, 93, "RGB", "444", fastdct=True)

        row("open to first fit view", median_ms(open_first, runs=5, warm=1), width * height)
        renderer = Renderer(decoder)
        source = renderer.open(path, "bench")
        fit = ViewRequest(*fitted(source, 1000, 667))
        window = ViewRequest(source.width, source.height, source.width // 3, source.height // 3, 1000, 700)
        step = [0]

        def slide(request: ViewRequest, change: str, base: Recipe) -> Callable[[], None]:
            step_name, control, size = SLIDES[change]

            def run() -> None:
                step[0] += 1
                amount = size * step[0]
                value: Any = [[0, 0], [0.5, 0.5 + amount], [1, 1]] if change == "curve" else amount
                value = 5000 + amount if change == "balance" else value
                view = renderer.view(source, "bench", base.with_values({step_name: {control: value}}), request)
                simplejpeg.encode_jpeg(view.picture, 93, "RGB", "444", fastdct=True)

            return run

        plain = Recipe.neutral(True)
        everything = plain.with_values(EVERYTHING)
        for name, base in (("", plain), (", everything on", everything)):
            for place_name, request, pixels in (("fit view", fit, 1000 * 667), ("1:1 window", window, 1000 * 700)):
                for change in (c for c in SLIDES if c != "angle") if base is everything else ("exposure", "balance", "curve"):
                    ms = median_ms(slide(request, change, base), runs=15, warm=3)
                    row(f"{place_name} after {change}{name}", ms, pixels)
        for window_name, box in LARGE_WINDOWS.items():
            large = ViewRequest(*fitted(source, *box), clipping=False)
            for name, base in (("few controls", plain), ("everything on", everything)):
                ms = median_ms(slide(large, "exposure", base), runs=7, warm=2)
                row(f"sharp view in a window of {window_name}, {name}", ms, large.scaled_width * large.scaled_height)
        around = ViewRequest(1000, 667, box=True, around=True)
        row(
            "framing step after a turn",
            median_ms(slide(around, "angle", plain.with_values(FRAMED)), runs=15, warm=3),
            1000 * 667,
        )
        ms = median_ms(slide(fit, "angle", plain.with_values(FRAMED | USUAL)), runs=15, warm=3)
        row("fit view after a turn", ms, 1000 * 667)
        place = [0]

        def pan() -> None:
            place[0] = (place[0] + 14) % (source.width - 1000)
            request = ViewRequest(source.width, source.height, place[0], source.height // 3, 1000, 700)
            view = renderer.view(source, "bench", Recipe.neutral(True), request)
            simplejpeg.encode_jpeg(view.picture, 93, "RGB", "444", fastdct=True)

        row("1:1 window after a pan", median_ms(pan, runs=21), 1000 * 700)
        for name, (command, against) in _commands(path).items():
            ms = median_ms(lambda c=command: subprocess.run(c, check=True, capture_output=True), runs=5, warm=1)  # type: ignore[misc]
            if not against:
                row(f"{name}, whole process", ms, width * height)
                continue
            reference_ms = median_ms(lambda c=against: subprocess.run(c, check=True, capture_output=True), runs=5, warm=1)  # type: ignore[misc]
            row(f"{name}, whole process", ms, width * height, to_libraw=round(ms / reference_ms, 2))
        libraw = _child("reference", path)
        row("LibRaw AHD + JPEG of the same file", libraw["ms"], width * height, peak_mb=round(libraw["peak_mb"]))
        for what in ("usual", "framed", "everything"):
            result = _child(what, path)
            ratio = round(result["ms"] / libraw["ms"], 2)
            row(f"raw to JPEG, {what}", result["ms"], width * height, peak_mb=round(result["peak_mb"]), to_libraw=ratio)
    return {"megapixels": width * height / 1e6, "rows": rows}


def bench(as_json: bool, quick: bool) -> None:
    """Measures and prints."""
    result = measure(quick)
    if as_json:
        print(json.dumps(result, indent=1))
        return
    print(f"{result['megapixels']:.0f} megapixels; 'copies' is the time of copying a float RGB picture of the same size\n")
    print(f"{'work':46} {'ms':>8} {'copies':>8} {'to LibRaw':>10} {'peak MB':>8}")
    for name, row in result["rows"].items():
        print(f"{name:46} {row['ms']:8.1f} {row['copies']:8.1f} {row.get('to_libraw', ''):>10} {row.get('peak_mb', ''):>8}")
