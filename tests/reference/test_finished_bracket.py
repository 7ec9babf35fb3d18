"""Brackets of finished pictures: a curve that nobody tells is found from the exposures, and the merge is linear again."""

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile
from numpy.typing import NDArray

from tests.reference.test_panorama import taken
from zincplate.core.merging.response import response_of
from zincplate.demo.scenes import load
from zincplate.formats.decode import decode
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.errors import MergeError
from zincplate.merges.judge import judge
from zincplate.merges.kinds import Kept, look_at, merged
from zincplate.merges.options import BracketOptions
from zincplate.merges.response import linear_frames
from zincplate.merges.view import Opened
from zincplate.merges.view import opened as opened_together
from zincplate.sources.file import Source

Float64 = NDArray[np.float64]
RNG = np.random.default_rng(4)


def curve(light: Float64) -> Float64:
    """A camera's own picture style: gamma with a toe and a shoulder. Codes 0 to 255."""
    x = np.clip(light, 0, 1) ** (1 / 2.4)
    return np.asarray(255 * (x + 0.35 * x * (1 - x) * (2 * x - 1)))


def test_a_known_response_is_found() -> None:
    light = np.exp(RNG.uniform(np.log(5e-4), np.log(3.0), 250))
    exposure = np.log([0.25, 1.0, 4.0])
    codes = np.rint(curve(light[:, None] * np.exp(exposure)) + RNG.normal(0, 0.7, (250, 3))).clip(0, 255)
    found = response_of(codes, exposure)
    every = np.arange(20, 245)
    levels = np.linspace(0, 1, 40_001)
    true = np.interp(every, curve(levels), levels)
    apart = np.log(found[every] / found[128]) - np.log(true / np.interp(128, curve(levels), levels))
    assert np.abs(apart).max() < 0.06 and np.median(np.abs(apart)) < 0.015
    assert (np.diff(found) >= 0).all() and abs(found[128] - 1) < 1e-3
    with pytest.raises(ValueError, match="too little"):
        response_of(np.full((50, 3), 255.0), exposure)


def bracket(folder: Path, steps: tuple[float, ...] = (-2.0, 0.0, 2.0), told: bool = True) -> tuple[list[Opened], Float64]:
    """The kiln hall as a camera's own pictures of 8 bits, moved a little, and its light in the middle one's unit."""
    whole = load("kiln_hall").linear_rec709.astype(np.float64)[300:1100, 200:1400]
    whole = np.maximum(cv2.resize(whole, None, fx=0.6, fy=0.6, interpolation=cv2.INTER_AREA), 1e-6)
    whole = whole / np.quantile(whole, 0.6) * 0.2
    frames = []
    for i, ev in enumerate(steps):
        moved = np.roll(whole, (i, 2 * i), (0, 1))[10:-10, 10:-10]
        codes = curve(moved * 2.0**ev) + RNG.normal(0, 0.8, moved.shape)
        path = folder / f"hall-{i}.png"
        cv2.imwrite(str(path), np.rint(codes).clip(0, 255).astype(np.uint8)[..., ::-1])
        source = Source(decode(path))
        if told:
            source.capture = replace(source.capture, exposure_time_s=2.0**ev / 60, f_number=8.0, iso=100)
        frames.append((path.name, source))
    middle = len(steps) // 2
    return opened_together(frames), np.roll(whole, (middle, 2 * middle), (0, 1))[10:-10, 10:-10]


def test_the_merge_of_finished_pictures_is_linear(tmp_path: Path) -> None:
    frames, light = bracket(tmp_path)
    linear, found = linear_frames(frames, lambda _: None)
    assert found
    judged = judge(linear, BracketOptions(reference=1))
    assert judged.members == [0, 1, 2]
    master = merged(frames, BracketOptions(reference=1), LensDatabase(), "Zincplate test", [{"name": f.name} for f in frames])
    path = tmp_path / "master.dng"
    path.write_bytes(master.dng)
    samples = decode(path).pixels.astype(np.float64)
    assert "found from the exposures" in " ".join(master.report["done"])
    # against the scene, over what the darkest shows unclipped and the lightest above its first codes
    inner = (slice(30, -30), slice(30, -30))
    true, mine = light[inner][..., 1], samples[inner][..., 1]
    calm = cv2.GaussianBlur(true, (0, 0), 2)
    where = (np.abs(np.log(true / calm)) < 0.05) & (true < 2.5) & (true > 0.004)
    ratio = np.log(mine[where] / true[where])
    ratio -= np.median(ratio)
    assert float(np.median(np.abs(ratio))) < 0.05
    for low, high in ((0.02, 0.1), (0.1, 0.4), (0.4, 2.5)):
        part = ratio[(true[where] > low) & (true[where] < high)]
        assert part.size > 300 and abs(float(np.median(part))) < 0.08, (low, high)
    # grey stays grey
    colours = samples[inner][where]
    truth = light[inner][where]
    cast = np.log(colours[:, 0] / colours[:, 2]) - np.log(truth[:, 0] / truth[:, 2])
    assert abs(float(np.median(cast))) < 0.06


def test_the_table_shows_it_too(tmp_path: Path) -> None:
    frames, _ = bracket(tmp_path)
    look = look_at(frames, BracketOptions(), LensDatabase(), lambda _: None, Kept(), "")
    assert look.picture.shape[2] == 3 and look.report["done"][-1].startswith("What light their codes")


def test_what_cannot_be_is_said(tmp_path: Path) -> None:
    frames, _ = bracket(tmp_path, told=False)
    with pytest.raises(MergeError, match=r"hall-0\.png: It does not tell how it was exposed"):
        linear_frames(frames, lambda _: None)
    raw = taken(tmp_path, "raw", 0)
    with pytest.raises(MergeError, match="Camera files and finished pictures do not make one bracket"):
        judge(opened_together([("raw.dng", raw[1]), (frames[0].name, frames[0].source)]), BracketOptions())
    # one exposure several times: there is nothing to find, and nothing is
    alike, _ = bracket(tmp_path, (0.0, 0.0))
    assert linear_frames(alike, lambda _: None) == (alike, False)


@pytest.mark.parametrize("walks", [False, True])
def test_what_a_curve_bends_has_not_moved(tmp_path: Path, walks: bool) -> None:
    """More vivid than life: what light a code stands for depends on the other channels as well, and no curve tells it."""
    whole = load("kiln_hall").linear_rec709.astype(np.float64)[300:1100, 200:1400]
    whole = np.maximum(cv2.resize(whole, None, fx=0.6, fy=0.6, interpolation=cv2.INTER_AREA), 1e-6)
    whole = whole / np.quantile(whole, 0.6) * 0.2
    frames = []
    for i, ev in enumerate((-3.0, 0.0, 3.0)):
        light = whole.copy()
        if walks and i == 1:
            light[200:300, 300:340] = (0.3, 0.2, 0.15)
        codes = curve(light * 2.0**ev)
        grey = codes @ (0.2126, 0.7152, 0.0722)
        codes = np.clip(grey[..., None] + 1.5 * (codes - grey[..., None]), 0, 255)
        path = tmp_path / f"vivid-{i}.tif"
        deep = np.rint(257 * (codes + RNG.normal(0, 0.1, codes.shape))).clip(0, 65535).astype(np.uint16)
        tifffile.imwrite(path, deep, photometric="rgb")
        source = Source(decode(path))
        source.capture = replace(source.capture, exposure_time_s=2.0**ev / 60, f_number=8.0, iso=100)
        frames.append((path.name, source))
    judged = judge(linear_frames(opened_together(frames), lambda _: None)[0], BracketOptions(reference=1))
    assert judged.members == [0, 1, 2] and judged.moved is not None
    labels = cv2.resize(judged.moved.labels.astype(np.uint8), (whole.shape[1], whole.shape[0]), interpolation=cv2.INTER_NEAREST)
    person = np.zeros(labels.shape, bool)
    person[200:300, 300:340] = walks
    around = cv2.dilate(person.astype(np.uint8), np.ones((31, 31))) > 0
    assert (labels[~around] > 0).mean() < 0.01
    assert not walks or (labels[205:295, 305:335] > 0).mean() > 0.9
