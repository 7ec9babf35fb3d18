"""WebP, AVIF and HEIF: decoded by their libraries, colour and facts by their boxes."""

import io
from pathlib import Path

import numpy as np

from zincplate.formats import icc
from zincplate.formats.errors import FileError
from zincplate.formats.rendered.boxes import PictureBoxes, picture_boxes
from zincplate.formats.rendered.jpeg import exif_of, opened
from zincplate.formats.rendered.picture import Model, Pixels, Rendered, of_code_points, widened

_DAMAGED = "The picture data are damaged or cut off. Copy it again."
LARGEST_FILE = 1 << 30


def whole(path: Path) -> bytes:
    """All of a file, unless it is larger than is read of these kinds; raises ``FileError``."""
    if path.stat().st_size > LARGEST_FILE:
        raise FileError(path, "The file is larger than 1 GB, more than can be read of this kind.")
    return path.read_bytes()


def first_of(pixels: Pixels) -> Pixels:
    """(h, w, n) of the first picture of what a codec gave."""
    pixels = pixels[0] if pixels.ndim == 4 else pixels
    return pixels[..., None] if pixels.ndim == 2 else pixels


def webp(path: Path, pixels: bool) -> Rendered:
    """WebP (RFC 9649); of moving ones the first picture."""
    with opened(path, "WEBP") as image:
        assert image is not None
        size, info = image.size, dict(image.info)
        frames = int(getattr(image, "n_frames", 1))
        alpha = image.mode == "RGBA"
        found = None
        if pixels:
            try:
                found = np.asarray(image.convert("RGBA" if alpha else "RGB"))
            except (OSError, SyntaxError, ValueError) as error:
                raise FileError(path, _DAMAGED) from error
    notes = (f"It moves: the first of {frames} pictures is shown.",) if frames > 1 else ()
    return Rendered(
        "WebP", *size, 8, 4 if alpha else 3, "rgb", found, "straight" if alpha else "", info.get("icc_profile") or b"",
        icc.of_space("srgb"), exif_of(info.get("exif") or b""), info.get("xmp") or b"", b"", False, notes,
    )  # fmt: skip


def _colour(boxes: PictureBoxes) -> tuple[icc.MatrixProfile, tuple[str, ...]]:
    """By code points; without them (or unspecified) sRGB, as the formats' own standards have it."""
    if boxes.code_points is None:
        return icc.of_space("srgb"), ()
    found = of_code_points(*boxes.code_points)
    if found is not None:
        return found, ()
    primaries, transfer = boxes.code_points
    if primaries == 2 and transfer == 2:
        return icc.of_space("srgb"), ()
    fallback = of_code_points(1 if primaries == 2 else primaries, 13 if transfer == 2 else transfer)
    if fallback is not None:
        return fallback, ()
    return icc.of_space("srgb"), (f"Its colour is given by unknown code points ({primaries}, {transfer}); sRGB is assumed.",)


def avif(path: Path, pixels: bool) -> Rendered:
    """AVIF (AV1 Image File Format 1.1), 8 to 12 bits."""
    import imagecodecs

    data = whole(path)
    boxes = picture_boxes(data)
    with opened(path, "AVIF") as image:
        assert image is not None
        width, height = image.size
        frames = int(getattr(image, "n_frames", 1))
    found: Pixels | None = None
    channels, model = 3, "rgb"
    if pixels:
        try:
            found = np.asarray(imagecodecs.avif_decode(data, index=0))
        except Exception as error:  # the codec raises its own kinds
            raise FileError(path, _DAMAGED) from error
        found = first_of(found)
        height, width, channels = found.shape
        model = "grey" if channels <= 2 else "rgb"
        found = widened(found, boxes.bits)
    profile, notes = _colour(boxes)
    if frames > 1:
        notes = (*notes, f"It moves: the first of {frames} pictures is shown.")
    exif = exif_of(boxes.exif)
    # the boxes decide how the picture is turned; EXIF only tells (HEIF, 6.5.10)
    exif.values[274] = (boxes.orientation,)
    kind: Model = "grey" if model == "grey" else "rgb"
    return Rendered(
        "AVIF", width, height, boxes.bits, channels, kind, found, "straight" if channels in (2, 4) else "", boxes.profile,
        profile, exif, boxes.xmp, b"", False, notes,
    )  # fmt: skip


def heif(path: Path, pixels: bool) -> Rendered:
    """HEIF with HEVC inside, 8 to 12 bits; libheif turns it upright."""
    import pi_heif

    data = whole(path)
    boxes = picture_boxes(data)
    try:
        picture = pi_heif.open_heif(io.BytesIO(data), convert_hdr_to_8bit=False)
        width, height = picture.size
        bits, mode = int(picture.info.get("bit_depth", 8)), str(picture.mode)
        found = np.array(picture) if pixels else None  # its memory goes with it
        count = len(picture)
    except Exception as error:  # libheif raises its own kinds
        raise FileError(path, _DAMAGED) from error
    channels = 4 if "A" in mode or "a" in mode.split(";")[0] else 1 if mode.startswith(("L", "I")) else 3
    if found is not None:
        found = found[..., None] if found.ndim == 2 else found
        channels = found.shape[2]
    profile, notes = _colour(boxes)
    if count > 1:
        notes = (*notes, f"It holds {count} pictures; the first is shown.")
    exif = exif_of(boxes.exif)
    exif.values[274] = (1,)
    model: Model = "grey" if channels <= 2 else "rgb"
    return Rendered(
        "HEIF", width, height, bits, channels, model, found, "straight" if channels in (2, 4) else "", boxes.profile, profile,
        exif, boxes.xmp, b"", True, notes,
    )  # fmt: skip
