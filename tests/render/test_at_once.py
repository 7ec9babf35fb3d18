"""Parts of a delivery on two threads: all of them, once, and nothing goes on when one fails or the delivery is called off."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numba
import numpy as np
import pytest

from tests.contract.test_operations import rendered
from tests.contract.test_passes import with_passes
from zincplate.core.noise import learned_noise
from zincplate.core.noise.wavelet_noise import StabilisedNoise
from zincplate.formats.isolated import Decoder
from zincplate.pipeline.areas import Areas
from zincplate.pipeline.cache import ByteCache
from zincplate.pipeline.windows import Window
from zincplate.plan.passes import AreaPlan
from zincplate.render import strips
from zincplate.render.at_once import each
from zincplate.render.read_again import ReadAgain
from zincplate.render.render import Renderer
from zincplate.render.strips import Cancelled

pytestmark = pytest.mark.skipif(numba.get_num_threads() < 2, reason="one processor works on one part")


def test_every_part_is_worked_on_once_by_two_threads_that_share_the_processors() -> None:
    before, asked = numba.get_num_threads(), dict[int, tuple[int, int]]()
    told: list[int] = []

    def work(part: int) -> None:
        assert part not in asked
        asked[part] = threading.get_ident(), numba.get_num_threads()
        time.sleep(0.002)

    each(range(40), work, told.append)
    assert sorted(asked) == list(range(40))
    shares = dict(asked.values())
    assert len(shares) == 2 and sum(shares.values()) == before
    assert numba.get_num_threads() == before
    # told on this thread, after each of its own parts, and at the end of everything
    assert told == sorted(told) and told[-1] == 40
    assert len(told) - 1 == sum(thread == threading.get_ident() for thread, _ in asked.values())


@pytest.mark.parametrize("here", [True, False])
def test_what_fails_on_either_thread_ends_both(here: bool) -> None:
    done: list[int] = []

    def work(part: int) -> None:
        time.sleep(0.002)
        if part > 3 and (threading.current_thread() is threading.main_thread()) == here:
            raise ValueError(f"part {part}")
        done.append(part)

    before = numba.get_num_threads()
    with pytest.raises(ValueError, match="part"):
        each(range(500), work, lambda _: None)
    assert len(done) < 20
    assert numba.get_num_threads() == before
    assert not [t for t in threading.enumerate() if t.name.startswith("part")]


def test_calling_off_ends_the_other_thread_as_well() -> None:
    done: list[int] = []

    def tell(number: int) -> None:
        if number > 4:
            raise Cancelled

    def work(part: int) -> None:
        time.sleep(0.002)
        done.append(part)

    with pytest.raises(Cancelled):
        each(range(500), work, tell)
    assert 4 < len(done) < 20


def test_parts_in_work_at_once_have_their_own_plates_and_areas(monkeypatch: pytest.MonkeyPatch) -> None:
    """As many small parts as there may be, with areas that are asked for twice in each: as if one came after the other."""
    values = np.random.default_rng(4).integers(0, 65535, (333, 410, 3)).astype(np.uint16)
    source, renderer = rendered(values), Renderer(Decoder())
    recipe = with_passes(
        {"controls": {"exposure_ev": 1.0, "saturation": 40}, "area": {"terms": [{"kind": "tone", "low": 40}]}},
        {"controls": {"saturation": -30, "contrast": 20}, "area": {"terms": [{"kind": "near", "x": 0.3, "y": 0.6}]}},
        {
            "controls": {"clarity": 50, "vibrance": 60},
            "area": {"terms": [{"kind": "ring", "x": 0.5, "y": 0.5, "radius_x": 0.3, "radius_y": 0.2}]},
        },
    )
    whole = renderer.deliver(source, recipe, space="srgb", bits=16)
    smaller = renderer.deliver(source, recipe, space="srgb", bits=16, long_edge=201)
    monkeypatch.setattr(strips, "STRIP_ROWS", 4)
    for _ in range(3):
        assert np.array_equal(renderer.deliver(source, recipe, space="srgb", bits=16), whole)
        assert np.array_equal(renderer.deliver(source, recipe, space="srgb", bits=16, long_edge=201), smaller)
    monkeypatch.setattr(strips, "TILE_WIDTH", 64)
    monkeypatch.setattr(strips, "TILE_HEIGHT", 32)
    turned = recipe.with_values({"framing": {"angle": 0.5}})
    for _ in range(3):
        in_rows = renderer.deliver(source, turned, space="srgb", bits=16, long_edge=201)
        assert np.array_equal(in_rows, renderer.deliver(source, turned, space="srgb", bits=16, long_edge=201))


def test_what_a_part_asks_for_twice_is_made_once_though_another_part_is_in_work() -> None:
    read = ReadAgain(lambda source, key, window, hot_pixels, shift: made.append(window) or np.zeros((3, 2, 2), np.float32))
    areas, plan, made = Areas(read, ByteCache(1), ByteCache(1)), AreaPlan(), list[object]()

    def plane(name: str) -> np.ndarray:
        made.append(name)
        if name == "mine":
            other = threading.Thread(target=lambda: areas._once(("other", plan), lambda: plane("theirs")))
            other.start()
            other.join()
        return np.full((2, 2), len(name), np.float32)

    for _ in range(2):
        assert areas._once(("part", plan), lambda: plane("mine"))[0, 0] == 4
    assert made == ["mine", "theirs"]

    source, window = rendered(np.zeros((2, 2, 3), np.uint16)), Window(2, 2, 0, 0, 2, 2)
    elsewhere = replace(window, full_width=9)
    made.clear()
    read(source, "key", window, False)
    other = threading.Thread(target=lambda: read(source, "key", elsewhere, False))
    other.start()
    other.join()
    read(source, "key", window, False)
    assert made == [window, elsewhere]


def test_the_denoising_network_serves_one_part_at_a_time(monkeypatch: pytest.MonkeyPatch) -> None:
    """What goes in and what comes out are two calls."""

    class Network:
        given: np.ndarray

        def setInput(self, given: np.ndarray) -> None:  # noqa: N802 (OpenCV's name)
            self.given = given
            time.sleep(0.02)

        def forward(self) -> np.ndarray:
            return self.given[:, :12]

    network = Network()
    monkeypatch.setattr(learned_noise, "_network", lambda: network)
    parts = [np.full((3, 8, 8), light, np.float32) for light in (0.1, 0.2, 0.3, 0.4)]
    noise = StabilisedNoise(0.0, (0.05,) * 3, False)
    with ThreadPoolExecutor(4) as pool:
        found = list(pool.map(lambda part: learned_noise.reduce_noise_best(part, noise, 1, 1), parts))
    for part, calm in zip(parts, found, strict=True):
        assert np.abs(calm - part).max() < 1e-5
