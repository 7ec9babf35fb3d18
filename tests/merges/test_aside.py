"""What was left out by hand decides nothing: a frame of another size, camera or kind of file among the others, even the first;
the master is what it would be without it."""

import re
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from tests.contract.test_operations import rendered
from tests.reference.test_bracket import BASE, CAMERA, opened
from zincplate.formats.decode import decode
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.errors import MergeError
from zincplate.merges.focus.options import FocusOptions
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import Options, look_at, merged
from zincplate.merges.options import BracketOptions
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.series.options import SeriesOptions
from zincplate.merges.view import Opened
from zincplate.merges.view import opened as opened_together

NO_LENSES = LensDatabase()
KINDS: dict[str, Options] = {
    "bracket": BracketOptions(),
    "series": SeriesOptions(align="features"),
    "focus": FocusOptions(),
    "panorama": PanoramaOptions(),
}


def drawn(
    width: int,
    height: int,
    light: float = 1.0,
    right: int = 0,
    told: bool = True,
    seed: int = 5,
    kind: type = np.uint16,
    smear_px: int = 1,
) -> Opened:
    rng = np.random.default_rng(seed)
    whole = sum(cv2.GaussianBlur(rng.normal(0, 1, (480, 900)), (0, 0), s) * s for s in (1.5, 4, 12))
    part = 0.2 + 0.1 * whole[:height, right : right + width]
    part = cv2.blur(part, (smear_px, 1))
    linear = np.clip(np.stack([part, 0.9 * part, 0.8 * part], -1) * light, 0, 1)
    encoded = np.where(linear > 0.0031308, 1.055 * linear ** (1 / 2.4) - 0.055, 12.92 * linear)  # IEC 61966-2-1
    codes = np.rint(encoded * np.iinfo(kind).max).astype(kind)
    source = rendered(codes)
    time_s = 0.01 * light if told else 0.0
    source.capture = replace(source.capture, exposure_time_s=time_s, f_number=8.0, iso=100)
    return opened_together([(f"{width} {right} {light:g}", source)])[0]


def frames_of(kind: str) -> list[Opened]:
    if kind == "bracket":
        return [drawn(480, 320, light, 4) for light in (0.25, 1.0, 3.0)]
    return [drawn(480, 320, 1.0, 120 * k if kind == "panorama" else 2 * k) for k in range(3)]


def planes(frames: Sequence[Opened], options: Options, folder: Path) -> NDArray[Any]:
    path = folder / "master.dng"
    path.write_bytes(merged(frames, options, NO_LENSES, "Test", []).dng)
    return decode(path).pixels


def strangers(folder: Path, kind: str) -> list[Opened]:
    raw = opened(folder, "raw", BASE, camera=replace(CAMERA, width=480, height=320))
    narrow = drawn(3, 320)
    return [raw, narrow] if kind == "panorama" else [raw, narrow, drawn(300, 200, seed=6), drawn(320, 480, told=False)]


@pytest.mark.parametrize("kind", KINDS)
def test_a_frame_that_does_not_belong_is_refused_until_it_is_left_out(kind: str, tmp_path: Path) -> None:
    options, frames = KINDS[kind], frames_of(kind)
    alone = planes(frames, options, tmp_path)
    for stranger in strangers(tmp_path, kind):
        for at in (0, 2):
            more = [*frames[:at], stranger, *frames[at:]]
            if not (stranger.source.width == 320 and kind == "series"):
                # it is named, not those that it stands among
                with pytest.raises(MergeError, match=f"^{re.escape(stranger.name)}: "):
                    merged(more, options, NO_LENSES, "Test", [])
            out = options.model_copy(update={"leave_out": (at,)})
            assert np.array_equal(planes(more, out, tmp_path), alone), (stranger.name, at)
            told = look_at(more, out, NO_LENSES, lambda _: None, Kept(), f"{stranger.name} {at}").report
            rows = told["frames"]
            assert [row["takes_part"] for row in rows] == [i != at for i in range(4)]
            assert rows[at]["name"] == stranger.name and rows[at]["reason"] == "left out by hand"
            assert not rows[at]["reference"] and sum(row["reference"] for row in rows) == 1


@pytest.mark.parametrize("kind", ["bracket", "series", "focus"])
def test_it_cannot_be_the_reference_and_what_is_left_must_be_enough(kind: str, tmp_path: Path) -> None:
    frames = [*frames_of(kind), drawn(300, 200, seed=6)]
    given = KINDS[kind].model_copy(update={"leave_out": (3,), "reference": 3})
    with pytest.raises(MergeError, match="reference"):
        merged(frames, given, NO_LENSES, "Test", [])
    few = KINDS[kind].model_copy(update={"leave_out": (1, 2, 3)})
    with pytest.raises(MergeError, match="Nothing is left"):
        merged(frames, few, NO_LENSES, "Test", [])


def test_the_response_is_not_found_by_what_was_left_out(tmp_path: Path) -> None:
    frames = [drawn(480, 320, light, 4, kind=np.uint8) for light in (0.25, 1.0, 3.0)]
    odd = drawn(480, 320, 1.0, 4, kind=np.uint8)
    odd.source.capture = replace(odd.source.capture, exposure_time_s=0.08)
    alone = planes(frames, BracketOptions(reference=1), tmp_path)
    found = planes([*frames, odd], BracketOptions(reference=1, leave_out=(3,)), tmp_path)
    assert np.array_equal(found, alone)


@pytest.mark.parametrize("left", range(3))
@pytest.mark.parametrize("kind", ["bracket", "series", "focus"])
def test_whichever_is_left_out_another_is_the_reference(kind: str, left: int, tmp_path: Path) -> None:
    frames = frames_of(kind)
    found = planes(frames, KINDS[kind].model_copy(update={"leave_out": (left,)}), tmp_path)
    assert np.array_equal(found, planes(frames[:left] + frames[left + 1 :], KINDS[kind], tmp_path))


def test_frames_that_do_not_agree_how_they_were_held_still_do_as_most(tmp_path: Path) -> None:
    frames = [opened(tmp_path, f"{i}", replace(BASE, exposure_time_s=0.05 * 4.0**i, seed=i)) for i in range(3)]
    turned = [frames[0], replace(frames[1], source=frames[1].source.held(6)), frames[2]]
    stranger = drawn(300, 200)
    alone = planes(turned, BracketOptions(), tmp_path)
    assert np.array_equal(planes([stranger, *turned], BracketOptions(leave_out=(0,)), tmp_path), alone)


def test_what_was_not_compared_has_no_figures(tmp_path: Path) -> None:
    frames = [*frames_of("bracket"), drawn(300, 200, seed=6)]
    look = look_at(frames, BracketOptions(leave_out=(0, 3)), NO_LENSES, lambda _: None, Kept(), "figures")
    told = [(row["exposure_ev"], row["sharpness"]) for row in look.report["frames"]]
    assert told[3] == (0.0, 0.0)
    assert told[0][0] == pytest.approx(-2, abs=0.01) and told[0][1] > 0.9, "left out, but compared"


def test_who_stands_aside_is_not_what_others_are_compared_with(tmp_path: Path) -> None:
    frames = frames_of("bracket")
    smeared = drawn(480, 320, 1.5, 4, smear_px=15)
    alone = look_at([*frames, smeared], BracketOptions(), NO_LENSES, lambda _: None, Kept(), "alone").report["frames"]
    more = [drawn(300, 200, seed=6), *frames, smeared]
    beside = look_at(more, BracketOptions(leave_out=(0,)), NO_LENSES, lambda _: None, Kept(), "beside").report["frames"]
    assert alone[3]["reason"].startswith("shaken by 1") and alone[3]["shake_px"] > 10
    assert beside[1:] == alone
