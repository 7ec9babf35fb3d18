"""What is shown over a finished view, or instead of it: films, greys, and the light that dust is looked for by."""

import cv2
import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]

AMBER = np.array([138.0, 92.0, 8.0], np.float32)
LINE = (250, 204, 110)
AMBER_FILM, FILM_SHARE = (214, 150, 22), 0.62
DUST_RADIUS_PX, DUST_TIMES = 34.0, 5.0
"""Forms wider than that many full-size pixels are taken out, the rest is raised that many times."""


def dust_light(picture: NDArray[np.uint8], scale: float) -> None:
    """Grey of what is finer than forms, raised, in place: spots of dust stand out of skies and walls. ``scale`` is the size
    of the view relative to full size."""
    grey = (picture @ np.array([0.2126, 0.7152, 0.0722], np.float32)).astype(np.float32)
    sigma = max(DUST_RADIUS_PX * scale, 4.0)
    rest = grey - cv2.GaussianBlur(grey, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    # grains are drawn together, so that what is left is form and not noise
    rest = cv2.GaussianBlur(rest, (0, 0), 0.9)
    picture[:] = np.rint(np.clip(150 + DUST_TIMES * rest, 0, 255))[..., None].astype(np.uint8)


def amber_film(picture: NDArray[np.uint8], area: Float32) -> None:
    """The picture in grey under an amber film where the area is, in place."""
    grey = (picture @ np.array([0.2126, 0.7152, 0.0722], np.float32))[..., None]
    share = (0.8 * area)[..., None]
    picture[:] = np.rint(grey * (1 - share) + (0.45 * grey + AMBER) * share).astype(np.uint8)


def film(picture: NDArray[np.uint8], area: Float32) -> None:
    """Amber film over the picture where an area is, in place."""
    share = np.rint(FILM_SHARE * 256 * area).astype(np.int32)
    for channel, ink in enumerate(AMBER_FILM):
        plane = picture[..., channel].astype(np.int32)
        picture[..., channel] = plane + (((ink - plane) * share) >> 8)


def alone(picture: NDArray[np.uint8], area: Float32) -> None:
    """The area in grey instead of the picture, in place."""
    picture[:] = np.rint(255 * area)[..., None].astype(np.uint8)


def outlined(picture: NDArray[np.uint8], area: Float32) -> None:
    """A line round an area over the picture, in place: light with dark beside it, so that it is seen on every ground."""
    inside = np.pad((area > 0.5).astype(np.uint8), 1, mode="edge")
    wide, line = np.ones((5, 5), np.uint8), np.ones((3, 3), np.uint8)
    dark = (cv2.dilate(inside, wide) != cv2.erode(inside, line))[1:-1, 1:-1]
    light = (cv2.dilate(inside, line) != inside)[1:-1, 1:-1]
    picture[dark] = picture[dark] // 3
    picture[light] = LINE


AREA_SHOWN = {"area": film, "area_alone": alone, "area_outline": outlined}
"""Ways to show an area over a picture, or instead of it."""


def grey_where_not(picture: NDArray[np.uint8], reach: NDArray[np.float64]) -> None:
    """Colours a key does not touch become grey, lighter than they were, in place."""
    grey = 128 + 0.35 * (picture @ np.array([0.2126, 0.7152, 0.0722]) - 128)
    share = np.sqrt(reach)[..., None]
    picture[:] = np.rint(picture * share + grey[..., None] * (1 - share)).astype(np.uint8)
