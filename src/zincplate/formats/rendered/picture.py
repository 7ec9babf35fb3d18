"""What every reader of a finished picture gives, and how its colours become red, green and blue of a known space."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.colour_spaces import RGBSpace, Transfer
from zincplate.core.colour.video_transfer import HIGH_RANGE, PRIMARIES, TRANSFERS
from zincplate.formats import icc, tags
from zincplate.formats.decoded import Decoded
from zincplate.formats.errors import FileError
from zincplate.formats.icc import MatrixProfile

Pixels = NDArray[Any]
Model = Literal["rgb", "grey", "cmyk", "lab"]
ASSUMED = "The file names no colour space; sRGB is assumed."
DAMAGED_PROFILE = "Its colour profile is damaged; sRGB is assumed."
LARGEST_FLOAT = 65504.0
"""Largest value of a floating-point picture that is taken as it is: sixteen stops above white, the end of half floats."""


@dataclass(frozen=True)
class Rendered:
    """A finished picture as its file holds it; without ``pixels`` when only its facts were asked for.

    Pixels are (h, w, n) uint8 or uint16 over their whole range, or float32; the last of n is alpha where ``alpha`` says so.
    """

    kind: str
    width: int
    height: int
    bits: int
    channels: int
    model: Model = "rgb"
    pixels: Pixels | None = None
    alpha: Literal["", "straight", "associated"] = ""
    profile_data: bytes = b""
    profile: MatrixProfile | None = None
    """Known without a profile in the file: by code points, chromaticities, or because the format says so."""
    exif: tags.Directory = field(default_factory=tags.Directory)
    xmp: bytes = b""
    iptc: bytes = b""
    upright: bool = False
    """Whether the decoder has turned the pixels already."""
    notes: tuple[str, ...] = ()


def of_primaries(
    name: str,
    primaries: tuple[tuple[float, float], tuple[float, float], tuple[float, float]],
    white_xy: tuple[float, float],
    curve: NDArray[np.float64],
) -> MatrixProfile:
    """A space by its chromaticities and the decoding of evenly spaced codes; raises ``ValueError`` when it cannot be."""
    space = RGBSpace("", name, primaries, white_xy, Transfer(1.0))
    try:
        matrix = space.to_working
    except np.linalg.LinAlgError as error:
        raise ValueError("chromaticities on a line") from error
    if not np.isfinite(matrix).all() or np.abs(matrix).max() > 100:
        raise ValueError("chromaticities that cannot be")
    return icc.known(MatrixProfile(name, "", matrix, (curve, curve, curve)))


def of_code_points(primaries: int, transfer: int) -> MatrixProfile | None:
    """A space by code points (ITU-T H.273); None when one of them is unspecified or unknown."""
    if primaries not in PRIMARIES or transfer not in TRANSFERS:
        return None
    size = 65536 if transfer in HIGH_RANGE else 4096
    curve = np.asarray(TRANSFERS[transfer](np.linspace(0, 1, size)), np.float64)
    known = {9: "Rec. 2020", 12: "Display P3", 1: "Rec. 709"}
    names = {16: "PQ", 18: "HLG"}
    name = " ".join(v for v in (known.get(primaries, f"primaries {primaries}"), names.get(transfer, "")) if v)
    return of_primaries(name, *PRIMARIES[primaries], curve)


def linear_of(key: str, name: str) -> MatrixProfile:
    """Linear light in the primaries of one of our spaces."""
    line = np.linspace(0, 1, 4096)
    return MatrixProfile(name, "", icc.of_space(key).to_working, (line, line, line))


def colour_of(path: Path, picture: Rendered) -> tuple[MatrixProfile, bytes, tuple[str, ...]]:
    """The space that the pixels will have, the profile to go through first (empty: none), and notes. Raises ``FileError``."""
    if picture.model == "lab":
        return picture.profile or linear_of("rec2020", "CIE L*a*b*"), b"", ()
    data = picture.profile_data
    if picture.model == "cmyk":
        if icc.colour_model(data) != "CMYK" or not icc.usable(data):
            raise FileError(path, "Its colours are inks (CMYK) and it holds no usable profile that says what they look like.")
        return icc.of_space("romm"), data, ("Its inks (CMYK) were turned into colours by the profile in the file.",)
    if picture.profile is not None and not data:
        return picture.profile, b"", ()
    if not data:
        return icc.of_space("srgb"), b"", (ASSUMED,)
    if picture.model == "grey":
        found = icc.read_grey(data)
        if found is not None:
            return found, b"", ()
    found = icc.read_profile(data)
    if found is not None:
        return found, b"", ()
    model = icc.colour_model(data)
    if model == ("RGB" if picture.model == "rgb" else "GRAY") and icc.has_tables(data) and icc.usable(data):
        return icc.of_space("romm"), data, ()
    return picture.profile or icc.of_space("srgb"), b"", (DAMAGED_PROFILE,)


def decoded(path: Path, picture: Rendered, capture: Any) -> Decoded:
    """Pixels, colour and facts together; raises ``FileError``."""
    assert picture.pixels is not None
    profile, through, notes = colour_of(path, picture)
    pixels, more = _without_alpha(picture)
    if picture.model == "lab":
        pixels = pixels.astype(np.float32)
    elif through:
        try:
            pixels = icc.through(pixels, through, picture.model)
        except Exception as error:  # littlecms raises its own kinds
            raise FileError(path, "Its colour profile cannot be worked with.") from error
    if pixels.shape[2] == 1:
        pixels = np.repeat(pixels, 3, 2)
    if pixels.dtype.kind == "f":
        pixels, bad = finite(pixels)
        if bad:
            more = (*more, "Pixels that are not numbers were set to black.")
    told = tuple(dict.fromkeys((*picture.notes, *notes, *more)))
    return Decoded("rendered", np.ascontiguousarray(pixels), capture, profile=profile, notes=told)


def finite(pixels: Pixels) -> tuple[Pixels, bool]:
    """Floating point without what is no number; whether there was any. What is no light any more is cut at sixteen stops over
    white."""
    pixels = pixels.astype(np.float32, copy=False)
    good = np.isfinite(pixels)
    bad = not bool(good.all())
    if bad:
        pixels = np.where(good, pixels, np.float32(0))
    if pixels.size and max(float(pixels.max()), -float(pixels.min())) > LARGEST_FLOAT:
        pixels, bad = np.clip(pixels, -LARGEST_FLOAT, LARGEST_FLOAT), True
    return pixels, bad


def _without_alpha(picture: Rendered) -> tuple[Pixels, tuple[str, ...]]:
    """Colours alone: associated alpha divided out, straight alpha left aside with a word when it says anything."""
    pixels = picture.pixels
    assert pixels is not None
    colours = {"rgb": 3, "grey": 1, "cmyk": 4, "lab": 3}[picture.model]
    if not picture.alpha:
        return pixels[..., :colours], ()
    alpha = pixels[..., -1:]
    top = 1.0 if pixels.dtype.kind == "f" else float(np.iinfo(pixels.dtype).max)
    plain = pixels[..., :colours]
    if bool((alpha >= top).all()):
        return plain, ()
    if picture.alpha == "straight":
        return plain, ("It is transparent in places; that is left aside.",)
    share = alpha.astype(np.float32) / np.float32(top)
    whole = np.where(share > 0, plain / np.maximum(share, 1e-6), 0)
    if pixels.dtype.kind != "f":
        whole = np.rint(np.clip(whole, 0, top))
    return whole.astype(pixels.dtype), ("It is transparent in places; its colours were divided by their cover.",)


def widened(values: Pixels, bits: int) -> Pixels:
    """Whole numbers of 1 to 32 bits -> uint8 or uint16 (up to 16 bits) over the whole range, or float32 (more)."""
    if bits in (8, 16):
        return values.astype(np.uint8 if bits == 8 else np.uint16, copy=False)
    top = 2.0**bits - 1
    if bits > 16:
        return (values / top).astype(np.float32)
    kind: Any = np.uint8 if bits in (1, 2, 4) else np.uint16  # in eight bits these alone come out even
    return np.rint(values * (np.iinfo(kind).max / top)).astype(kind)
