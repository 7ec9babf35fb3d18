"""Sets of the demo's card (docs/scenes.md), photographed with a small sensor; and none among frames that have nothing to do with
each other."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest

from zincplate.demo.camera import CameraModel, expose
from zincplate.demo.dng import dng_bytes
from zincplate.demo.frames import FRAMES, Frame
from zincplate.formats.isolated import Decoder
from zincplate.render.light_plate import LightPlate, Settings, light_plate
from zincplate.render.sets import Proposed, propose
from zincplate.sources.file import Source

SMALL = CameraModel("Pennick", "Pennick Test 2", 960, 640, serial="2", hot_sites_per_million=0)
WANTED = (
    *range(10, 14), *range(30, 39), *range(40, 50), *range(50, 59), *range(60, 65), 72, 73, 74, 76, 77, 78, *range(88, 91),
    *range(95, 99),
)  # fmt: skip


def taken(frame: Frame, folder: Path, decoder: Decoder) -> LightPlate:
    """A frame of the card by the small camera."""
    exposure = expose(frame.seen(), SMALL, frame.lens_state, frame.settings)
    path = folder / frame.name
    path.write_bytes(dng_bytes(SMALL, frame.lens_state, frame.settings, exposure, frame.captured_at))
    return light_plate(Source(decoder.decode(path)))


@pytest.fixture(scope="module")
def card(tmp_path_factory: pytest.TempPathFactory, decoder: Decoder) -> dict[int, LightPlate]:
    folder = tmp_path_factory.mktemp("sets")
    return {f.number: taken(f, folder, decoder) for f in FRAMES if f.number in WANTED}


def numbers(found: list[Proposed], of: list[int]) -> list[tuple[str, list[int]]]:
    return [(s.kind, [of[i] for i in s.members]) for s in found]


STORY = [
    ("bracket", [30, 31, 32, 33, 34, 35]),  # the shaken one belongs to it; a merge leaves it out
    ("bracket", [36, 37, 38]),
    ("sweep", [40, 41, 42, 43, 44, 45, 46]),
    ("focus", [50, 51, 52, 53, 54, 55, 56, 57]),
    ("sky", [60, 61, 62, 63, 64]),
    ("bracket", [88, 89, 90]),
]


def test_exactly_the_sets_of_the_story_in_any_order(card: dict[int, LightPlate]) -> None:
    names = sorted(card)
    assert numbers(propose([card[n] for n in names]), names) == STORY
    mixed = [int(n) for n in np.random.default_rng(3).permutation(names)]
    assert numbers(propose([card[n] for n in mixed]), mixed) == STORY


def test_a_focus_series_is_seen_where_no_distance_is_told(card: dict[int, LightPlate]) -> None:
    untold = [replace(card[n], settings=replace(card[n].settings, focus_distance_m=0.0, f_number=4.0)) for n in range(50, 58)]
    # at f/16 nearly all is sharp: as with a wide aperture, parts come into focus one after the other
    parts = np.linspace(0, 7, 64).reshape(8, 8)
    wide = [replace(p, sharpness=(-0.25 * (parts - i) ** 2).astype(np.float32)) for i, p in enumerate(untold)]
    assert [s.kind for s in propose(wide)] == ["focus"]
    still = [replace(p, sharpness=np.zeros((8, 8), np.float32)) for p in untold]
    assert propose(still) == []


@pytest.mark.parametrize("quarter", [1, 3])
def test_frames_shot_straight_down_are_one_set_however_they_are_told_to_be_held(
    card: dict[int, LightPlate], quarter: int
) -> None:
    for numbers_, kind in (((36, 37, 38), "bracket"), (range(50, 58), "focus"), (range(60, 65), "sky")):
        frames = [card[n] for n in numbers_]
        for lying in ([1], [0], [0, 2], list(range(1, len(frames)))):
            told = [f.turned(quarter) if i in lying else f for i, f in enumerate(frames)]
            assert propose(told) == [Proposed(kind, tuple(range(len(frames))))]  # type: ignore[arg-type]
    # a camera that was really turned shows another view
    assert propose([card[36], card[37], card[77].turned(quarter)]) == []
    frames = [card[n] for n in (36, 37, 38)]
    square = [replace(f, planes=f.planes[:, :200, :200], settings=replace(f.settings, upright=(640, 640))) for f in frames]
    assert propose([square[0], square[1].turned(quarter), square[2]]) == []


def test_looking_to_and_fro_is_no_sweep(card: dict[int, LightPlate]) -> None:
    there_and_back = [card[n] for n in (40, 41, 42, 41, 40)]
    timed = [replace(p, settings=replace(p.settings, seconds=1000.0 + 6 * i)) for i, p in enumerate(there_and_back)]
    assert propose(timed) == []


def turns(card: dict[int, LightPlate], *rounds: tuple[list[int], float]) -> list[LightPlate]:
    """Frames of a sweep, every four seconds, once for each exposure."""
    out: list[LightPlate] = []
    for places, ev in rounds:
        for number in places:
            was = card[number]
            settings = replace(was.settings, seconds=1000.0 + 4 * len(out), exposure_ev=ev, exposure_time_s=2.0**ev / 250)
            scale = np.float32(2.0 ** (ev - (was.settings.exposure_ev or 0.0)))
            out.append(replace(was, planes=np.minimum(was.planes * scale, np.float32(1)), settings=settings))
    return out


THERE, ON = [40, 41, 42], [44, 45, 46]


def test_a_sweep_that_is_turned_once_for_each_exposure_is_one(card: dict[int, LightPlate]) -> None:
    first = card[40].settings.exposure_ev or 0.0
    back = THERE[::-1]
    for second in (THERE, back):
        found = propose(turns(card, (THERE, first), (second, first - 2)))
        assert [(s.kind, s.members) for s in found] == [("sweep", tuple(range(6)))]
    three = propose(turns(card, (THERE, first), (back, first - 2), (THERE, first - 1)))
    assert [(s.kind, s.members) for s in three] == [("sweep", tuple(range(9)))]


def test_sweeps_of_other_places_or_of_one_exposure_are_not_joined(card: dict[int, LightPlate]) -> None:
    first = card[40].settings.exposure_ev or 0.0
    back = THERE[::-1]
    apart = [("sweep", (0, 1, 2)), ("sweep", (3, 4, 5))]
    for second in (first, first - 0.4):  # the same again, and the light followed
        assert [(s.kind, s.members) for s in propose(turns(card, (THERE, first), (back, second)))] == apart
        assert propose(turns(card, (THERE, first), (THERE, second))) == []
    # a turn whose exposures followed the light
    followed = turns(card, (THERE, first), (back, first - 2))
    was = followed[4]
    lighter = replace(was.settings, exposure_ev=first - 1.5, exposure_time_s=2.0 ** (first - 1.5) / 250)
    followed[4] = replace(was, planes=was.planes * np.float32(2**0.5), settings=lighter)
    assert [(s.kind, s.members) for s in propose(followed)] == apart
    # elsewhere, and a turn of another length
    assert propose(turns(card, (THERE, first), (ON, first - 2))) == []
    assert [s.members for s in propose(turns(card, (THERE, first), ([42, 41], first - 2)))] == [(0, 1, 2)]


def test_times_make_and_part_sets(card: dict[int, LightPlate]) -> None:
    def at(number: int, seconds: float, **more: float) -> LightPlate:
        return replace(card[number], settings=replace(card[number].settings, seconds=seconds, **more))

    quick = [at(10 + i, 1000 + 0.4 * i) for i in range(4)]
    assert numbers(propose(quick), [10, 11, 12, 13])[0][0] == "burst"
    slow = [at(10 + i, 1000 + 3.0 * i) for i in range(4)]
    assert propose(slow) == []  # four pictures of one table, but no burst
    late = [at(30 + i, 1000 + 40 * i) for i in range(5)]
    assert propose(late) == []
    no_times = [replace(card[n], settings=replace(card[n].settings, seconds=None)) for n in range(30, 36)]
    assert propose(no_times) == []
    two = [at(36, 1000), at(37, 1004)]
    assert propose(two) == []
    # another aperture: no bracket, whatever the exposures
    assert propose([at(36, 1000, f_number=4), at(37, 1004), at(38, 1008)]) == []
    # half a stop is no bracket
    same = [at(36, 1000 + 4 * i, exposure_ev=0.4 * i) for i in range(3)]
    assert propose(same) == []


@pytest.mark.parametrize("seed", [1, 2])
def test_two_hundred_unrelated_frames_hold_no_set(seed: int) -> None:
    """Pictures with nothing in common, some of them within seconds of each other."""
    rng = np.random.default_rng(seed)
    plates = []
    seconds = 0.0
    for _ in range(200):
        seconds += float(rng.choice([0.5, 3.0, 9.0, 14.0, 60.0, 900.0]))
        noise = rng.normal(0, 9, (160, 240)).astype(np.float32)
        blob = cv2.GaussianBlur(noise, (0, 0), float(rng.uniform(1.5, 8)))
        light = np.exp2(2.5 * blob / max(float(blob.std()), 1e-3) * rng.uniform(0.3, 1) - 3).astype(np.float32)
        settings = Settings(
            camera="Pennick Test 2", raw=True, focal_length_mm=float(rng.choice([28, 35, 50])),
            exposure_ev=float(rng.choice([-8, -6.5, -5, -5, -5])), seconds=seconds, exposure_time_s=0.01, f_number=5.6, iso=100,
            focus_distance_m=float(rng.choice([0, 0, 2.0])), upright=(960, 640), as_shot_xy=(0.33, 0.34), matrices=None,
        )  # fmt: skip
        planes = np.stack([np.minimum(light * gain, 1) for gain in (0.9, 1, 0.7)])
        plates.append(LightPlate(planes, settings, np.zeros((8, 8), np.float32)))
    assert propose(plates) == []
