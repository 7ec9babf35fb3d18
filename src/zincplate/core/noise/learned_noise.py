"""The slow, best noise reduction: a small learned denoiser on variance-stabilised values.

Network: FFDNet for colour (Zhang, Zuo, Zhang, TIP 27, 2018; MIT licence), which is told the noise's deviation. It was
trained on encoded pictures with even noise; roots of linear values are both, nearly a gamma of 2 and even in their noise,
and their deviation is known from the sensor. Runs in OpenCV on the processor, some six to fifteen seconds a megapixel on
two cores: for deliveries, and for what is in sight at full size once nothing moves.
"""

import threading
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from zincplate.core.noise.wavelet_noise import (
    COLOUR_STRENGTH,
    LIGHTNESS_STRENGTH,
    StabilisedNoise,
    from_lightness_and_colour,
    reduce_noise,
    to_lightness_and_colour,
)

Float32 = NDArray[np.float32]

MODEL = Path(__file__).parent / "models" / "ffdnet_color.onnx"
TILE, CONTEXT, REACH = 512, 24, 6
"""Pixels of a tile with its context; context on each side (twelve layers at half size reach that far, most of what they see is
within a quarter of it)."""
TOP = 1.5
"""Root value that becomes 1 for the network: highlights of camera data lie above 1."""
DEMOSAICED = 1.5
"""Demosaicing spreads noise over its neighbours, which the network takes for drawing; told of more, it calms that too."""
MOST_DEVIATION = 75 / 255
"""The strongest noise that the network was trained for."""
MOST_DEVIATIONS = 4.0
"""By how many deviations a value is changed at most: the network leaves marks of its own where there is next to no noise."""
FADES_FROM = 0.9
"""Of TOP; from there up to it the quick way takes over: light beyond it (merged exposures hold a hundred times white) is nothing
that the network has ever seen."""


_IN_USE = threading.Lock()
"""Of the network: what goes in and what comes out are two calls."""


@cache
def _network() -> Any:
    return cv2.dnn.readNetFromONNX(str(MODEL))


def _shuffled(planes: Float32, deviation: float) -> Float32:
    """(3, h, w) -> (1, 13, h / 2, w / 2): four phases of each channel, and the noise level as a plane."""
    _, h, w = planes.shape
    phases = planes.reshape(3, h // 2, 2, w // 2, 2).transpose(0, 2, 4, 1, 3).reshape(12, h // 2, w // 2)
    level = np.full((1, h // 2, w // 2), deviation, np.float32)
    return np.ascontiguousarray(np.concatenate([phases, level])[None])


def _unshuffled(found: Float32) -> Float32:
    _, _, h, w = found.shape
    return np.asarray(found.reshape(3, 2, 2, h, w).transpose(0, 3, 1, 4, 2).reshape(3, 2 * h, 2 * w))


def reduce_noise_best(
    planes: Float32, noise: StabilisedNoise, lightness: float, colour: float, between: Callable[[], None] = lambda: None
) -> Float32:
    """Planes (3, h, w) linear -> planes with less noise. Strengths multiply the deviation; 1 is what the sensor explains.

    The network calms both at once, at the larger strength; the weaker of lightness and colour then keeps its share of noise.
    ``between`` is called before each tile and may raise what calls the work off.
    """
    strength = max(lightness, colour)
    if strength <= 0:
        return planes.copy()
    calm = _calmed(planes, noise, strength * (DEMOSAICED if noise.demosaiced else 1.0), between)
    level = np.sqrt(np.maximum(planes.max(0) + np.float32(noise.shift), 0)) / np.float32(TOP)
    if level.max() > FADES_FROM:
        # where the network looks about itself, too, it must have seen something else
        level = cv2.dilate(level, np.ones((2 * REACH + 1, 2 * REACH + 1), np.uint8))
        share = np.clip((level - np.float32(FADES_FROM)) / np.float32(1 - FADES_FROM), 0, 1)
        quick = reduce_noise(
            np.ascontiguousarray(planes), noise, strength * LIGHTNESS_STRENGTH / 2, strength * COLOUR_STRENGTH / 2
        )
        calm += share * (quick - calm)
    if lightness == colour:
        return calm
    shift = np.float32(noise.shift)
    before, after = np.empty_like(planes), np.empty_like(planes)
    to_lightness_and_colour(np.ascontiguousarray(planes), shift, before)
    to_lightness_and_colour(calm, shift, after)
    for i, share in enumerate((lightness / strength, colour / strength, colour / strength)):
        before[i] += (after[i] - before[i]) * np.float32(share)
    from_lightness_and_colour(before, shift, after)
    return after


def _calmed(planes: Float32, noise: StabilisedNoise, strength: float, between: Callable[[], None]) -> Float32:
    root = np.sqrt(np.maximum(planes + np.float32(noise.shift), 0)) / np.float32(TOP)
    deviation = min(float(np.sqrt(np.square(noise.deviation).mean())) * strength / TOP, MOST_DEVIATION)
    _, height, width = root.shape
    out = np.empty_like(root)
    step = TILE - 2 * CONTEXT
    for y in range(0, height, step):
        for x in range(0, width, step):
            between()
            rows, columns = min(step, height - y), min(step, width - x)
            # every tile has the same size, filled by mirroring, so that the network is laid out once
            ys = _mirrored(np.arange(y - CONTEXT, y - CONTEXT + TILE), height)
            xs = _mirrored(np.arange(x - CONTEXT, x - CONTEXT + TILE), width)
            noisy = _shuffled(root[:, ys][:, :, xs], deviation)
            with _IN_USE:
                network = _network()
                network.setInput(noisy)
                calm = _unshuffled(network.forward())
            out[:, y : y + rows, x : x + columns] = calm[:, CONTEXT : CONTEXT + rows, CONTEXT : CONTEXT + columns]
    np.clip(out, root - np.float32(MOST_DEVIATIONS * deviation), root + np.float32(MOST_DEVIATIONS * deviation), out=out)
    out *= np.float32(TOP)
    return out * np.abs(out) - np.float32(noise.shift)


def _mirrored(index: NDArray[np.intp], size: int) -> NDArray[np.intp]:
    """Indices outside 0..size - 1 reflected back in."""
    period = max(2 * (size - 1), 1)
    index = np.abs(index) % period
    return np.asarray(np.minimum(index, period - index))
