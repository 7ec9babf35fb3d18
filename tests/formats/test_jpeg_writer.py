"""JPEG coded in bands: the same picture, to the last code, as libjpeg-turbo makes in one piece, for several readers."""

import io
import struct

import cv2
import numpy as np
import pytest
import simplejpeg
from numpy.typing import NDArray
from PIL import Image

from zincplate.formats.jpeg_writer import jpeg, segment


def _picture(height: int, width: int) -> NDArray[np.uint8]:
    rng = np.random.default_rng(height * width)
    noise = rng.integers(0, 256, (height, width, 3), dtype=np.uint8)
    return np.asarray(cv2.GaussianBlur(noise, (0, 0), 1.2), np.uint8)


@pytest.mark.parametrize(("height", "width"), [(1, 1), (7, 9), (512, 33), (513, 40), (1025, 17), (5200, 24), (40, 30_001)])
@pytest.mark.parametrize(("quality", "full_colour"), [(92, True), (70, False)])
def test_bands_are_the_whole_picture(height: int, width: int, quality: int, full_colour: bool) -> None:
    picture = _picture(height, width)
    ours = jpeg(picture, quality, full_colour)
    whole = io.BytesIO()
    Image.fromarray(picture).save(whole, "JPEG", quality=quality, subsampling=0 if full_colour else 2)
    expected = np.asarray(Image.open(whole))
    with Image.open(io.BytesIO(ours)) as read:
        assert np.array_equal(np.asarray(read), expected)
    assert np.array_equal(cv2.imdecode(np.frombuffer(ours, np.uint8), cv2.IMREAD_COLOR)[..., ::-1], expected)
    assert simplejpeg.decode_jpeg(ours, "RGB").shape == picture.shape


def test_a_damaged_band_stays_alone() -> None:
    """What restart markers are for (ITU-T T.81, F.2.1.3.1): nothing after the next marker suffers."""
    picture = _picture(1600, 64)
    data = bytearray(jpeg(picture, 90, True))
    good = np.asarray(Image.open(io.BytesIO(bytes(data))))
    first, second = (data.index(bytes((0xFF, 0xD0 + i))) for i in (0, 1))
    data[first + 100 : second - 100] = bytes(second - first - 200)
    harmed = np.asarray(Image.open(io.BytesIO(bytes(data))))
    assert np.array_equal(harmed[:512], good[:512]) and np.array_equal(harmed[1024:], good[1024:])
    assert not np.array_equal(harmed[512:1024], good[512:1024])


def test_extra_segments_stand_behind_the_first() -> None:
    data = jpeg(_picture(20, 20), 92, True, [segment(0xED, b"one"), segment(0xE1, b"two")])
    markers, place = [], 2
    while data[place + 1] != 0xDA:
        markers.append(data[place + 1])
        place += 2 + struct.unpack_from(">H", data, place + 2)[0]
    assert markers[:3] == [0xE0, 0xED, 0xE1] and 0xDD not in markers
    with pytest.raises(struct.error):
        segment(0xE1, bytes(65_534))
