"""The colour of the light, estimated from a picture in three independent ways, and how far they agree.

- White patch, as a high norm of each channel: Land 1977; "Shades of gray", Finlayson & Trezzi, CIC 2004 (p = 6).
- Grey edge: the average difference along edges is achromatic (van de Weijer, Gevers, Gijsenij, TIP 16, 2007; first order).
- Achromatic search: the light on the loci of daylight and lamps under which most of the picture's colours lie close to grey
  (in the manner of "gray world on a constrained gamut", Forsyth 1990, and of common practice).

All work on linear planes that are balanced as shot, so that (1, 1, 1) means "the camera was right".
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float64]
Float32 = NDArray[np.float32]

NORM = 6
DARKEST = 0.01
GREY_WIDTH = 0.10
"""Width of "close to grey" in natural logarithms of the channel ratios: ten percent."""
PRIOR_WIDTH = 0.22
"""The camera's own choice is seldom further off than this, in natural logarithms of the channel ratios."""
AGREED_DEGREES, APART_DEGREES = 1.5, 7.0
"""Angle between estimates at which they count as one, and at which they say nothing (3 degrees is just acceptable: Finlayson et
al. 2005)."""


@dataclass(frozen=True)
class LightEstimate:
    """Relative response of R, G, B to the light (G = 1), confidence 0..1, and each way's own answer."""

    rgb: tuple[float, float, float]
    confidence: float
    ways: dict[str, tuple[float, float, float]]


def _usable(planes: Float32, limits: Float32) -> NDArray[np.bool_]:
    share = (planes / limits[:, None, None]).max(0)
    blown = cv2.dilate((share > 0.85).astype(np.uint8), np.ones((3, 3), np.uint8))
    return np.asarray((blown == 0) & (planes.min(0) > DARKEST * max(float(np.quantile(share, 0.9)), 1e-4)))


def white_patch(planes: Float32, usable: NDArray[np.bool_]) -> Float:
    """High norm of each channel."""
    values = planes[:, usable].astype(np.float64)
    top = values.max() or 1.0
    return np.asarray(((values / top) ** NORM).mean(1) ** (1 / NORM))


def grey_edge(planes: Float32, usable: NDArray[np.bool_]) -> Float:
    """Mean gradient of each channel."""
    found = []
    inner = cv2.erode(usable.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    for plane in planes:
        calm = cv2.GaussianBlur(plane, (0, 0), 1.0)
        slope = cv2.magnitude(cv2.Sobel(calm, cv2.CV_32F, 1, 0), cv2.Sobel(calm, cv2.CV_32F, 0, 1))
        found.append(float((slope[inner].astype(np.float64) ** 2).mean()) ** 0.5 if inner.any() else 1.0)
    return np.array(found)


def achromatic(planes: Float32, usable: NDArray[np.bool_], candidates: Float) -> tuple[Float, float]:
    """The candidate (n, 3) under which most is grey, and the share of the picture that is."""
    values = np.maximum(planes[:, usable], 1e-6).astype(np.float64)
    if values.shape[1] > 20_000:
        values = values[:, :: values.shape[1] // 20_000 + 1]
    chroma = np.log(values[[0, 2]] / values[1])
    weight = np.sqrt(values[1] / values[1].max())
    logs = np.log(candidates[:, [0, 2]] / candidates[:, 1:2])
    best, best_share = 0, -1.0
    # a light far from what the camera chose needs more evidence
    prior = np.exp(-(logs**2).sum(1) / (2 * PRIOR_WIDTH**2))
    for i, (red, blue) in enumerate(logs):
        distance = ((chroma[0] - red) ** 2 + (chroma[1] - blue) ** 2) / GREY_WIDTH**2
        share = float((weight * np.exp(-distance / 2)).sum() / weight.sum())
        if share * prior[i] > best_share:
            best, best_share = i, share * prior[i]
    return candidates[best], best_share / max(float(prior[best]), 1e-9)


def angle_degrees(a: Float, b: Float) -> float:
    """Angle between two colours of light, the usual error of estimators."""
    cosine = float(a @ b / (np.linalg.norm(a) * np.linalg.norm(b)))
    return float(np.degrees(np.arccos(np.clip(cosine, -1, 1))))


def estimate_light(planes: Float32, limits: Float32, candidates: Float) -> LightEstimate | None:
    """Light of a small picture's planes (3, h, w) balanced as shot; None when almost all of it is dark or blown.

    ``limits`` are the sensor's ends in plate values, ``candidates`` (n, 3) relative responses to lights on the loci.
    """
    usable = _usable(planes, limits)
    if usable.mean() < 0.02 or usable.sum() < 200:
        return None
    searched, grey_share = achromatic(planes, usable, candidates)
    ways = {"white patch": white_patch(planes, usable), "grey edge": grey_edge(planes, usable), "greys": searched}
    unit = {k: v / v[1] for k, v in ways.items()}
    logs = np.log(np.maximum(np.array([unit[k] for k in unit]), 1e-6))
    # the search is trusted as far as it found greys, the others share the rest
    trust = float(np.clip((grey_share - 0.08) / 0.3, 0.1, 1))
    weights = np.array([1.0, 1.0, 4 * trust])
    mean = np.exp((logs * weights[:, None]).sum(0) / weights.sum())
    apart = float(np.mean([angle_degrees(v, mean) for v in unit.values()]))
    agreement = float(np.clip((APART_DEGREES - apart) / (APART_DEGREES - AGREED_DEGREES), 0, 1))
    confidence = agreement * (0.4 + 0.6 * trust)
    # what is not known stays with the camera's choice, which is 0 in these logarithms
    mean = mean ** (0.25 + 0.75 * confidence)
    as_tuples = {k: (float(v[0]), float(v[1]), float(v[2])) for k, v in unit.items()}
    return LightEstimate((float(mean[0]), 1.0, float(mean[2])), confidence, as_tuples)
