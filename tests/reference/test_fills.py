"""Fills against what was there: printed tiles, a photographed brick wall and gravel, the demo's works front, and OpenCV's
inpainting (both of its methods) as the floor.

A copy of a texture that does not repeat is as far from the truth as any other sample of it: its error is up to 3 dB above
that of a blur, which is why the floor there is a little below OpenCV's, and sharpness is asked for beside it.
"""

from functools import lru_cache
from typing import Any

import cv2
import numpy as np
import pytest
from skimage import data

from zincplate.core.repair.fill import blended, found
from zincplate.demo.sheet import page

SIDE = (360, 480)


def holes() -> dict[str, np.ndarray]:
    """A lamp, a cable, a cart, a corner."""
    y, x = np.mgrid[: SIDE[0], : SIDE[1]]
    return {
        "lamp": np.hypot(y - 180, x - 240) < 22,
        "cable": abs(y - 108 - 0.3 * x) < 3,
        "cart": (abs(y - 180) < 30) & (abs(x - 240) < 60),
        "corner": x + y < 110,
    }


@lru_cache(maxsize=8)
def picture(name: str) -> np.ndarray:
    """(360, 480, 3) 8 bit."""
    if name == "tiles":
        sheet = np.clip(page(1900)[700:1060, 300:780], 0, 1)
        noisy = sheet ** (1 / 2.2) + 0.006 * np.random.default_rng(1).normal(size=sheet.shape)
        return np.rint(255 * np.clip(noisy, 0, 1)).astype(np.uint8)
    grey = {"brick": data.brick, "gravel": data.gravel}[name]()[60 : 60 + SIDE[0], 16 : 16 + SIDE[1]]
    return np.repeat(grey[..., None], 3, 2)


def judged(name: str, hole: np.ndarray) -> dict[str, Any]:
    """PSNR in the hole (encoded values) of ours and of the better of OpenCV's, how sharp both are compared with the truth,
    and our step across the border compared with that of the truth."""
    true = picture(name).astype(np.float32) / 255
    roots = np.ascontiguousarray(np.moveaxis(np.sqrt(true**2.2), -1, 0))
    roots[:, hole] = 0.5
    light = np.moveaxis(np.clip(blended(roots, hole, found(roots, hole, ~hole)), 0, 1), 0, -1) ** 2
    ours = light ** (1 / 2.2)
    spoiled = np.where(hole[..., None], 128, picture(name)).astype(np.uint8)
    theirs = [cv2.inpaint(spoiled, hole.astype(np.uint8), 5, how) / 255 for how in (cv2.INPAINT_TELEA, cv2.INPAINT_NS)]
    psnr = lambda p: float(-10 * np.log10(np.square(p - true)[hole].mean()))  # noqa: E731
    fine = lambda p: float(np.square(p - cv2.GaussianBlur(p, (0, 0), 1.5))[hole].mean())  # noqa: E731
    border = (cv2.dilate(hole.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) & (
        cv2.erode(hole.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0
    )
    steps = lambda p: float(np.abs(cv2.Laplacian(p.mean(-1).astype(np.float32), cv2.CV_32F))[border].mean())  # noqa: E731
    return {
        "ours": psnr(ours),
        "theirs": max(psnr(t) for t in theirs),
        "sharp": fine(ours) / fine(true),
        "theirs sharp": max(fine(t) for t in theirs) / fine(true),
        "seam": steps(ours) / steps(true),
    }


@pytest.mark.parametrize("kind", ["lamp", "cable", "cart"])
def test_printed_tiles_go_on(kind: str) -> None:
    told = judged("tiles", holes()[kind])
    assert told["ours"] > told["theirs"] + 3 and told["ours"] > 22, told  # the inks are worn differently in every tile
    assert 0.6 < told["sharp"] < 1.25 and 0.7 < told["seam"] < 1.3, told


@pytest.mark.parametrize(("kind", "gain"), [("lamp", 0.0), ("cable", 2.0), ("cart", -1.0)])
def test_a_brick_wall_goes_on(kind: str, gain: float) -> None:
    told = judged("brick", holes()[kind])
    assert told["ours"] > told["theirs"] + gain, told
    assert 0.6 < told["sharp"] < 1.6 and told["sharp"] > 1.5 * told["theirs sharp"] and 0.7 < told["seam"] < 1.35, told


@pytest.mark.parametrize("kind", ["lamp", "cable", "cart", "corner"])
def test_gravel_is_as_sharp_as_gravel(kind: str) -> None:
    told = judged("gravel", holes()[kind])
    assert told["ours"] > told["theirs"] - 3.01, told
    assert 0.55 < told["sharp"] < 1.4 and told["theirs sharp"] < 0.4 and 0.75 < told["seam"] < 1.3, told


def test_nothing_is_seen_twice_in_gravel() -> None:
    """Repetition: beside the peak at no way, the autocorrelation of what was filled in stays below a half."""
    hole = holes()["cart"]
    true = picture("gravel").astype(np.float32) / 255
    roots = np.ascontiguousarray(np.moveaxis(np.sqrt(true**2.2), -1, 0))
    roots[:, hole] = 0.5
    filled = blended(roots, hole, found(roots, hole, ~hole))[0][150:210, 180:300]
    filled = filled - cv2.GaussianBlur(filled, (0, 0), 8)
    spectrum = np.abs(np.fft.fft2(filled, (120, 240))) ** 2
    again = np.fft.ifft2(spectrum).real
    y, x = np.meshgrid(np.fft.fftfreq(120, 1 / 120), np.fft.fftfreq(240, 1 / 240), indexing="ij")
    far = (np.hypot(y, x) > 8) & (abs(y) < 45) & (abs(x) < 90)
    overlap = np.maximum((60 - abs(y)) * (120 - abs(x)) / (60 * 120), 0.1)
    assert (again / again[0, 0] / overlap)[far].max() < 0.5
