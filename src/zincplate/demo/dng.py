"""Writes what the simulated camera took as DNG (specification 1.7): lossless JPEG tiles, EXIF, embedded JPEG preview."""

import io
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zincplate.core.kernels.light import to_8_bit
from zincplate.core.sensor.demosaic import bin_mosaic
from zincplate.demo.camera import CameraModel, Exposure, Settings
from zincplate.demo.lens import LensModel, LensState
from zincplate.formats.capture import CaptureData
from zincplate.formats.exif_writer import add_capture_entries
from zincplate.formats.tiff_writer import ASCII, BYTE, DOUBLE, IFD, LONG, RATIONAL, SHORT, SRATIONAL, rational, write_structure
from zincplate.recipe.document import Recipe
from zincplate.tables.light_plan import tables_of

_TILE = 256


@dataclass(frozen=True)
class Lens:
    """What a file says about the lens."""

    make: str
    name: str
    specification: tuple[float, float, float, float]
    """Shortest and longest focal length in millimetres, widest f-number at each."""

    @staticmethod
    def of(model: LensModel) -> "Lens":
        """Of a simulated lens."""
        return Lens(model.make, model.name, (model.shortest_mm, model.longest_mm, model.widest_f_number, model.widest_f_number))


_PLAIN_LENS = Lens("Pennick", "Pennick 50 mm", (50, 50, 2, 2))


def preview_of(
    camera: CameraModel, exposure: Exposure, as_shot_xy: tuple[float, float], long_edge: int = 1500
) -> NDArray[np.uint8]:
    """The camera's own small picture, in sensor orientation."""
    mosaic = np.ascontiguousarray(exposure.mosaic[camera.masked_top :, camera.masked_left :])
    k = max(2, int(max(camera.width, camera.height) / long_edge) // 2 * 2)
    scale = np.array([[1.0 / (camera.white - camera.black)] * 2] * 2, np.float32)
    for place, colour in enumerate(camera.cfa):
        scale[place // 2, place % 2] /= exposure.as_shot_neutral[colour]
    y0, x0 = divmod(camera.cfa.index(0), 2)
    scale = np.roll(scale, (-y0, -x0), (0, 1))
    black = np.full((2, 2), camera.black, np.float32)
    planes = np.empty((3, (camera.height - y0) // k, (camera.width - x0) // k), np.float32)
    bin_mosaic(mosaic, y0, x0, k, black, np.ascontiguousarray(scale), planes)
    tables = tables_of(
        Recipe.neutral(raw=True).with_values({"tone": {"exposure_ev": 0.3}}),
        matrices=camera.matrices,
        as_shot_neutral=exposure.as_shot_neutral,
        as_shot_xy=as_shot_xy,
        baseline_gain=1.0,
        space="srgb",
    )
    out = np.empty((*planes.shape[1:], 3), np.uint8)
    to_8_bit(planes, tables, 0, 0, out)
    return out


def _preview_directory(image: NDArray[np.uint8]) -> IFD:
    out = io.BytesIO()
    Image.fromarray(image).save(out, "JPEG", quality=82, subsampling=2)
    height, width, _ = image.shape
    ifd = IFD()
    ifd.set(254, LONG, 1).set(256, LONG, width).set(257, LONG, height).set(258, SHORT, [8, 8, 8]).set(259, SHORT, 7)
    ifd.set(262, SHORT, 6).set(277, SHORT, 3).set(278, LONG, height).set(284, SHORT, 1).set(530, SHORT, [2, 2])
    ifd.set(531, SHORT, 1).set(532, RATIONAL, [(0, 1), (255, 1), (128, 1), (255, 1), (128, 1), (255, 1)])
    ifd.set(50970, LONG, 2)
    ifd.chunks = [out.getvalue()]
    return ifd


def _add_story(exif: IFD, camera: CameraModel, focal_length_mm: float, lens: Lens, settings: Settings) -> None:
    """What a good camera writes besides (EXIF 2.32, CIPA DC-008)."""
    exif.set(37377, SRATIONAL, rational(-np.log2(settings.exposure_time_s), 10000))
    exif.set(37378, RATIONAL, rational(2 * np.log2(settings.f_number), 10000))
    exif.set(37381, RATIONAL, rational(2 * np.log2(lens.specification[2]), 10000))
    exif.set(34850, SHORT, 1).set(37383, SHORT, 5).set(37384, SHORT, 0).set(37385, SHORT, 16)
    if settings.focus_distance_m:
        exif.set(37382, RATIONAL, rational(settings.focus_distance_m, 1000))
    exif.set(41989, SHORT, round(focal_length_mm))  # the sensor is 36 mm wide
    exif.set(41986, SHORT, 1).set(41987, SHORT, 1).set(41990, SHORT, 0)
    exif.set(42033, ASCII, camera.serial).set(42035, ASCII, lens.make)
    exif.set(42034, RATIONAL, [rational(v, 10) for v in lens.specification])


def dng_bytes(
    camera: CameraModel,
    lens: LensState,
    settings: Settings,
    exposure: Exposure,
    captured_at: str,
    named: Lens = _PLAIN_LENS,
) -> bytes:
    """The file of one frame."""
    mosaic = exposure.mosaic
    height, width = mosaic.shape
    if any(side < _TILE and side % 16 for side in mosaic.shape):
        raise ValueError("the sides of a small simulated sensor are multiples of 16")
    tile_w, tile_h = min(_TILE, width), min(_TILE, height)  # LibRaw misreads a tile wider than the picture
    top, left = camera.masked_top, camera.masked_left
    raw = IFD(tiled=True)
    raw.set(254, LONG, 0).set(256, LONG, width).set(257, LONG, height).set(258, SHORT, 16).set(259, SHORT, 7)
    raw.set(262, SHORT, 32803).set(277, SHORT, 1).set(284, SHORT, 1).set(322, LONG, tile_w).set(323, LONG, tile_h)
    raw.set(33421, SHORT, [2, 2]).set(33422, BYTE, list(camera.cfa)).set(50710, BYTE, [0, 1, 2]).set(50711, SHORT, 1)
    raw.set(50713, SHORT, [2, 2]).set(50714, SHORT, [camera.black] * 4).set(50717, SHORT, camera.white)
    if top or left:
        raw.set(50829, LONG, [top, left, height, width])  # ActiveArea
        borders = [[0, 0, height, left]] * bool(left) + [[0, left, top, width]] * bool(top)
        raw.set(50830, LONG, [v for border in borders for v in border])  # MaskedAreas
    with ThreadPoolExecutor(2) as pool:
        places = [(y, x) for y in range(0, height, tile_h) for x in range(0, width, tile_w)]
        blocks = (mosaic[y : y + tile_h, x : x + tile_w] for y, x in places)
        raw.chunks = list(pool.map(lambda block: _tile(block, tile_w, tile_h), blocks))
    capture = CaptureData(
        camera_make=camera.make,
        camera_model=camera.model,
        lens=named.name,
        exposure_time_s=settings.exposure_time_s,
        f_number=settings.f_number,
        iso=settings.iso,
        focal_length_mm=lens.focal_length_mm,
        captured_at=captured_at,
    )
    add_capture_entries(raw, capture, "Simulated camera 2", settings.orientation)
    raw.set(315, ASCII, "Harrow Lane Tileworks").set(33432, ASCII, "Made up for a demonstration; free to use")
    if raw.exif is not None:
        _add_story(raw.exif, camera, lens.focal_length_mm, named, settings)
    matrices = camera.matrices
    first, second = (c.matrix for c in matrices.calibrations)
    raw.set(50706, BYTE, [1, 4, 0, 0]).set(50707, BYTE, [1, 1, 0, 0]).set(50708, ASCII, f"{camera.make} {camera.model}")
    raw.set(50721, SRATIONAL, [rational(v, 10000) for v in first]).set(50778, SHORT, 17)
    raw.set(50722, SRATIONAL, [rational(v, 10000) for v in second]).set(50779, SHORT, 21)
    raw.set(50728, RATIONAL, [rational(v, 1_000_000) for v in exposure.as_shot_neutral])
    raw.set(50730, SRATIONAL, (0, 100)).set(50731, RATIONAL, (1, 1)).set(50732, RATIONAL, (1, 1)).set(50734, RATIONAL, (1, 1))
    raw.set(50735, ASCII, camera.serial)
    # what the sensor does to light, for noise reduction: variance = S x + O per channel, x from 0 to 1 (NoiseProfile)
    well = camera.well_electrons(settings.iso)
    raw.set(51041, DOUBLE, [1 / well, (camera.total_read_noise(settings.iso) / well) ** 2] * 3)
    white_xy = matrices.white_of(exposure.as_shot_neutral)
    raw.sub = [_preview_directory(preview_of(camera, exposure, white_xy))]
    return write_structure(raw)


def _tile(block: NDArray[np.uint16], width: int, height: int) -> bytes:
    if block.shape != (height, width):
        block = np.pad(block, ((0, height - block.shape[0]), (0, width - block.shape[1])), mode="edge")
    pairs = np.ascontiguousarray(block).reshape(height, width // 2, 2)
    return bytes(imagecodecs.jpeg8_encode(pairs, lossless=True, predictor=1, bitspersample=16))
