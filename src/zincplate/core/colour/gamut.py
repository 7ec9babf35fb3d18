"""Where a delivery space ends: the largest chroma at every hue and lightness, for drawing colours in at constant hue.

A colour outside keeps its Oklab hue and lightness and gives up chroma (clipping chroma at constant hue and lightness, the
least disturbing simple mapping in J. Morovic, "Color Gamut Mapping", 2008). Colours inside stay where they are for files
that are already rendered; camera data use a soft knee, so that tones within a saturated colour stay apart.
"""

from functools import cache

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour import oklab
from zincplate.core.colour.colour_spaces import SPACES

Float32 = NDArray[np.float32]

HUES, LIGHTNESSES = 512, 128
SEARCH_STEPS = 16
CHROMA_END = 0.6
"""Above the chroma of every colour in our spaces."""


@cache
def chroma_limits(space: str) -> Float32:
    """Largest chroma that is inside, flat (HUES + 1) x (LIGHTNESSES + 1): hue as diamond angle 0..4, lightness 0..1."""
    hue = np.radians(oklab.hue_of_diamond(np.arange(HUES + 1) * (4 / HUES)))[:, None]
    lightness = np.broadcast_to(np.linspace(0, 1, LIGHTNESSES + 1)[None], (HUES + 1, LIGHTNESSES + 1))
    low, high = np.zeros_like(lightness), np.full_like(lightness, CHROMA_END)
    grey = lightness[..., None] * oklab.LAB_TO_LMS[:, 0]
    away = np.stack([np.cos(hue), np.sin(hue)], -1) @ oklab.LAB_TO_LMS[:, 1:].T
    to_space = (SPACES[space].from_working @ oklab.LMS_TO_WORKING).T
    for _ in range(SEARCH_STEPS):
        middle = (low + high) / 2
        roots = grey + middle[..., None] * away
        rgb = (roots * roots * roots) @ to_space
        inside = ((rgb >= -1e-6) & (rgb <= 1 + 1e-6)).all(-1)
        low, high = np.where(inside, middle, low), np.where(inside, high, middle)
    # between two table lightnesses the limit is a cusp: the plain value is a hair too large there, the clamp takes the rest
    return np.ascontiguousarray(low, np.float32).ravel()
