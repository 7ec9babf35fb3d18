"""One picture of the card: a frame of every scene as its camera shows it, for docs/.

Run from the repository: ``PYTHONPATH=src .venv/bin/python tools/scenes/contact_sheet.py docs/scenes.jpg``.
"""

import sys

import cv2
import numpy as np
from PIL import Image

from zincplate.demo import sheet
from zincplate.demo.dng import preview_of
from zincplate.demo.frames import FRAMES

NUMBERS = (2, 10, 33, 43, 53, 63, 79, 80, 89, 91, 93)
CELL = (480, 320)


def picture(number: int) -> np.ndarray:
    """The upright preview of a frame, fitted into its cell."""
    frame = next(f for f in FRAMES if f.number == number)
    exposure = frame.expose()
    image = preview_of(frame.camera, exposure, frame.camera.matrices.white_of(exposure.as_shot_neutral), 1500)
    image = np.rot90(image, {1: 0, 8: 1, 6: 3}[frame.settings.orientation])
    return fitted(np.ascontiguousarray(image))


def fitted(image: np.ndarray) -> np.ndarray:
    """Into a cell on a neutral ground."""
    k = min(CELL[0] / image.shape[1], CELL[1] / image.shape[0])
    small = cv2.resize(image, None, fx=k, fy=k, interpolation=cv2.INTER_AREA)
    cell = np.full((CELL[1], CELL[0], 3), 46, np.uint8)
    y, x = (CELL[1] - small.shape[0]) // 2, (CELL[0] - small.shape[1]) // 2
    cell[y : y + small.shape[0], x : x + small.shape[1]] = small
    return cell


def main(target: str) -> None:
    """Writes the sheet."""
    cells = [picture(n) for n in NUMBERS if any(f.number == n for f in FRAMES)] + [fitted(sheet.scan())]
    across = 3
    while len(cells) % across:
        cells.append(np.full_like(cells[0], 46))
    gap = 8
    rows = [
        np.concatenate([np.pad(c, ((0, gap), (0, gap), (0, 0)), constant_values=46) for c in cells[i : i + across]], 1)
        for i in range(0, len(cells), across)
    ]
    Image.fromarray(np.concatenate(rows)).save(target, quality=88)


if __name__ == "__main__":
    main(sys.argv[1])
