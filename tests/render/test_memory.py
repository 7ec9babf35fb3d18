"""What a renderer keeps stays within what it may keep, however many pictures pass through it."""

import gc
import json
import subprocess
import sys
import weakref
from pathlib import Path

import numpy as np

from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.formats.capture import CaptureData
from zincplate.formats.decoded import CameraColour, Decoded
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import Recipe
from zincplate.render.render import Renderer
from zincplate.render.view import ViewRequest

WIDTH, HEIGHT = 4000, 3000
PICTURES, MAY_KEEP_MB = 30, 96
COLOUR = CameraColour(CameraMatrices.plain(tuple(SRGB.from_xyz.ravel()), 6504.0), (0.5, 1.0, 0.7))


class Files(Decoder):
    """Twelve megapixels under every name."""

    def decode(self, path: Path, turn: object = None) -> Decoded:
        sites = np.random.default_rng(len(str(path))).integers(600, 9000, (HEIGHT, WIDTH)).astype(np.uint16)
        return Decoded("mosaic", sites, CaptureData(), COLOUR, black=(512.0,) * 4, white=16000.0)


def resident_mb() -> float:
    """Memory of this process."""
    gc.collect()
    line = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmRSS"))
    return int(line.split()[1]) / 1024


def main() -> None:
    """Views of many pictures, whole and in parts, framed, with hot pixels taken out; prints what was held after each."""
    renderer = Renderer(Files(), memory_bytes=MAY_KEEP_MB << 20)
    held = []
    for number in range(PICTURES):
        key = f"picture {number}"
        source = renderer.open(Path(key), key)
        values = {"framing": {"angle": 1.0 + number / 10}, "definition": {"hot_pixels": True}, "tone": {"shadows": 20}}
        recipe = Recipe.neutral(True).with_values(values)
        renderer.view(source, key, recipe, ViewRequest(1200, 900, box=True))
        renderer.view(source, key, recipe, ViewRequest(3800, 2850, 900, 900, 800, 600))
        del source
        held.append(resident_mb())
    print(json.dumps({"held": held, "sources": renderer._sources.total_bytes}))


def test_thirty_pictures_hold_no_more_than_what_may_be_kept() -> None:
    command = [sys.executable, "-W", "ignore", "-m", "tests.render.test_memory"]
    answer = subprocess.run(command, capture_output=True, text=True, timeout=170, check=True)
    told = json.loads(answer.stdout)
    assert told["sources"] <= 0.5 * MAY_KEEP_MB * 2**20
    # the eighth picture has filled every cache; planes of the one in work come and go, and the allocator keeps some of them.
    # Sources
    # held by mistake would be 24 MB each time, 528 in all
    assert max(told["held"][8:]) - told["held"][7] < 200, [round(v) for v in told["held"]]


def test_what_is_found_on_a_source_later_counts_too() -> None:
    renderer = Renderer(Files(), memory_bytes=MAY_KEEP_MB << 20)
    source = renderer.open(Path("a"), "a")
    before = renderer._sources.total_bytes
    assert before == 2 * WIDTH * HEIGHT
    # hot sites stand beside the mosaic: few are no second one, many are counted
    assert source.hot_pixels < 0.001 * WIDTH * HEIGHT
    assert renderer.open(Path("a"), "a") is source
    assert before <= renderer._sources.total_bytes < 1.02 * before
    source._reader._hot = np.zeros((5000, 2), np.intp), np.zeros(5000, np.uint16)  # type: ignore[union-attr]
    assert renderer.open(Path("a"), "a") is source
    assert renderer._sources.total_bytes == before + 5000 * (2 * 8 + 2)


def test_resolved_frame_stages_hold_no_source() -> None:
    renderer = Renderer(Files(), memory_bytes=1 << 20)
    opened = []
    for number in range(3):
        source = renderer.open(Path(str(number)), str(number))
        opened.append(weakref.ref(source))
        renderer.framed(source, str(number), source.plan(Recipe.neutral(True).with_values({"framing": {"angle": 2.0}})).frame)
    del source
    gc.collect()
    assert [held() is not None for held in opened] == [False, False, True], "the newest only"


if __name__ == "__main__":
    main()
