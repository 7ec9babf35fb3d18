"""ICC profiles (ISO 15076-1): our own v4 matrix profiles, and a reader for matrix profiles of others.

The written profiles hold no bytes of anybody else's; they are dedicated to the public domain (CC0-1.0).
"""

import hashlib
import struct
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.colour.adaptation import bradford
from zincplate.core.colour.colour_spaces import REC2020, SPACES, RGBSpace, Transfer

Float = NDArray[np.float64]

PCS_WHITE = np.array([0.9642, 1.0, 0.8249])
_PCS_XY = (0.9642 / 2.7891, 1.0 / 2.7891)


def _s15(value: float) -> bytes:
    return struct.pack(">i", round(value * 65536))


def _xyz(v: Float) -> bytes:
    return b"XYZ \0\0\0\0" + b"".join(_s15(float(x)) for x in v)


def _text(text: str) -> bytes:
    data = text.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(data), 28) + data


def _curve(t: Transfer) -> bytes:
    if t.threshold:
        return b"para\0\0\0\0" + struct.pack(">HH", 3, 0) + b"".join(_s15(v) for v in (t.gamma, t.a, t.b, t.slope, t.threshold))
    return b"para\0\0\0\0" + struct.pack(">HH", 0, 0) + _s15(t.gamma)


@cache
def profile_of(key: str) -> bytes:
    """Profile of one of our spaces, by its key."""
    return build_profile(SPACES[key])


def build_profile(space: RGBSpace) -> bytes:
    """v4.4 matrix/TRC display profile."""
    adapt = bradford(space.white_xy, _PCS_XY)
    quantised = np.round(adapt @ space.to_xyz * 65536)
    quantised[:, 1] += np.round(PCS_WHITE * 65536) - quantised.sum(1)  # white must be exactly the PCS white
    m = quantised / 65536
    curve = _curve(space.transfer)
    tags = [
        (b"desc", _text(space.name)),
        (b"cprt", _text("CC0-1.0, public domain")),
        (b"wtpt", _xyz(PCS_WHITE)),
        (b"chad", b"sf32\0\0\0\0" + b"".join(_s15(float(x)) for x in adapt.ravel())),
        *((name, _xyz(m[:, i])) for i, name in enumerate((b"rXYZ", b"gXYZ", b"bXYZ"))),
        *((name, curve) for name in (b"rTRC", b"gTRC", b"bTRC")),
    ]
    start = 132 + 12 * len(tags)
    table, data, places = b"", b"", {}
    for signature, body in tags:
        if body not in places:
            places[body] = start + len(data)
            data += body + b"\0" * (-len(body) % 4)
        table += signature + struct.pack(">II", places[body], len(body))
    zero = b"\0" * 4
    header = struct.pack(
        ">I4sI4s4s4s6H4s4sIIIQI",
        start + len(data), zero, 0x04400000, b"mntr", b"RGB ", b"XYZ ", 2026, 1, 1, 0, 0, 0, b"acsp", zero, 0, 0, 0, 0, 0,
    )  # fmt: skip
    header += b"".join(_s15(float(x)) for x in PCS_WHITE)
    header = header.ljust(128, b"\0")
    body = header + struct.pack(">I", len(tags)) + table + data
    return body[:84] + hashlib.md5(body, usedforsecurity=False).digest() + body[100:]


@dataclass(frozen=True)
class MatrixProfile:
    """A matrix profile as read: 3x3 linear RGB -> linear Rec.2020, and a table (n,) of each channel's decoding."""

    name: str
    space_key: str
    """One of our spaces when it is numerically the same, else empty."""
    to_working: Float
    curves: tuple[Float, Float, Float]

    def decode_table(self, levels: int) -> Float:
        """(3, levels) linear values for evenly spaced encoded values."""
        x = np.linspace(0, 1, levels)
        if self.space_key:
            return np.stack([SPACES[self.space_key].transfer.decode(x)] * 3)
        return np.stack([np.interp(x, np.linspace(0, 1, len(c)), c) for c in self.curves])

    def decode_floats(self, encoded: NDArray[np.float32]) -> NDArray[np.float32]:
        """(h, w, 3) encoded floating point -> linear; negative values are mirrored, above 1 curves go on straight."""
        if self.space_key:
            return np.asarray(SPACES[self.space_key].transfer.decode(encoded.astype(np.float64)), np.float32)
        if all(np.abs(c - np.linspace(c[0], c[-1], len(c))).max() < 1e-6 and abs(c[0]) < 1e-9 for c in self.curves):
            return encoded if self.curves[0][-1] == 1 else np.asarray(encoded * np.float32(self.curves[0][-1]))
        out = np.empty_like(encoded, np.float32)
        for channel, curve in enumerate(self.curves):
            size = np.abs(encoded[..., channel])
            slope = (curve[-1] - curve[-2]) * (len(curve) - 1)
            inside = np.interp(size, np.linspace(0, 1, len(curve)), curve)
            out[..., channel] = np.copysign(np.where(size > 1, curve[-1] + (size - 1) * slope, inside), encoded[..., channel])
        return out


def of_space(key: str) -> MatrixProfile:
    """One of our spaces in the form of a read profile."""
    space = SPACES[key]
    curve = space.transfer.decode(np.linspace(0, 1, 4096))
    return MatrixProfile(space.name, key, space.to_working, (curve, curve, curve))


def _read_curve(data: bytes, offset: int) -> Float:
    kind = data[offset : offset + 4]
    x = np.linspace(0, 1, 4096)
    if kind == b"curv":
        n = struct.unpack_from(">I", data, offset + 8)[0]
        if n == 0:
            return x
        if n > 65536:
            raise ValueError("curve too long")
        values = np.frombuffer(data, ">u2", n, offset + 12).astype(np.float64)
        return np.asarray(x ** (values[0] / 256)) if n == 1 else np.interp(x, np.linspace(0, 1, n), values / 65535)
    if kind == b"para":
        form = struct.unpack_from(">H", data, offset + 8)[0]
        count = {0: 1, 1: 3, 2: 4, 3: 5, 4: 7}[form]
        g, a, b, c, d, e, f = [v / 65536 for v in struct.unpack_from(f">{count}i", data, offset + 12)] + [0.0] * (7 - count)
        if form == 0:
            return np.asarray(x**g)
        power = np.maximum(a * x + b, 0) ** g
        if form == 1:
            return np.where(a * x + b >= 0, power, 0)
        if form == 2:
            return np.where(a * x + b >= 0, power + c, c)
        return np.where(x >= d, power + e, c * x + f)
    raise ValueError("unknown kind of curve")


def _tags(data: bytes) -> dict[bytes, int]:
    """Offset of each tag of a profile; raises ``struct.error`` when the table is cut off."""
    count = min(struct.unpack_from(">I", data, 128)[0], 100)
    entries = (struct.unpack_from(">4sII", data, 132 + 12 * i) for i in range(count))
    return {signature: offset for signature, offset, _ in entries}


def read_profile(data: bytes) -> MatrixProfile | None:
    """Matrix profile of an RGB file, or None when it is of another kind (tables, CMYK, grey) or damaged."""
    try:
        if data[16:20] != b"RGB " or data[20:24] != b"XYZ ":
            return None
        tags = _tags(data)
        if b"A2B0" in tags:
            return None
        columns = [np.array(struct.unpack_from(">3i", data, tags[n] + 8)) / 65536 for n in (b"rXYZ", b"gXYZ", b"bXYZ")]
        curves = (_read_curve(data, tags[b"rTRC"]), _read_curve(data, tags[b"gTRC"]), _read_curve(data, tags[b"bTRC"]))
        to_pcs = np.array(columns).T
        if abs(np.linalg.det(to_pcs)) < 1e-6:
            return None
        name = _description(data, tags.get(b"desc", 0))
    except (struct.error, KeyError, ValueError, IndexError):
        return None
    if not all(_sane(c) for c in curves):
        return None
    for key, space in SPACES.items():
        own = bradford(space.white_xy, _PCS_XY) @ space.to_xyz
        decoded = space.transfer.decode(np.linspace(0, 1, 4096))
        if np.abs(own - to_pcs).max() < 2e-3 and all(np.abs(decoded - c).max() < 2e-3 for c in curves):
            return of_space(key)
    to_working = REC2020.from_xyz @ bradford(_PCS_XY, REC2020.white_xy) @ to_pcs
    return MatrixProfile(name, "", to_working, curves)


def _description(data: bytes, offset: int) -> str:
    if data[offset : offset + 4] == b"mluc":
        length, start = struct.unpack_from(">II", data, offset + 20)
        return data[offset + start : offset + start + min(length, 200)].decode("utf-16-be", "replace").strip("\0 ")
    if data[offset : offset + 4] == b"desc":
        length = struct.unpack_from(">I", data, offset + 8)[0]
        return data[offset + 12 : offset + 12 + min(length, 100)].decode("ascii", "replace").strip("\0 ")
    return "unnamed profile"


def _sane(curve: Float) -> bool:
    """Numbers that rise: what a decoding can be."""
    return bool(np.isfinite(curve).all() and (np.diff(curve) >= -1e-9).all() and curve[-1] > curve[0] and curve.max() <= 1.5)


def known(profile: MatrixProfile) -> MatrixProfile:
    """One of our spaces where a profile is numerically the same, else the profile."""
    for key, space in SPACES.items():
        if np.abs(space.to_working - profile.to_working).max() > 2e-3:
            continue
        if all(np.abs(space.transfer.decode(np.linspace(0, 1, len(c))) - c).max() < 2e-3 for c in profile.curves):
            return of_space(key)
    return profile


def colour_model(data: bytes) -> str:
    """What the pixels of a profile are (``RGB``, ``GRAY``, ``CMYK``, ``Lab``), by its header; empty when it is none."""
    if len(data) < 132 or data[36:40] != b"acsp":
        return ""
    return data[16:20].decode("ascii", "replace").strip()


def read_grey(data: bytes) -> MatrixProfile | None:
    """A grey profile with a curve: neutral in any primaries; None when it is of another kind or damaged."""
    try:
        if data[16:20] != b"GRAY" or data[36:40] != b"acsp":
            return None
        tags = _tags(data)
        curve = _read_curve(data, tags[b"kTRC"])
        name = _description(data, tags.get(b"desc", 0))
    except (struct.error, KeyError, ValueError, IndexError):
        return None
    return MatrixProfile(name, "", np.eye(3), (curve, curve, curve)) if _sane(curve) else None


def has_tables(data: bytes) -> bool:
    """Whether a profile goes by tables; one of curves and a matrix that could not be read is damaged, whatever littlecms makes of
    it."""
    try:
        return not {b"A2B0", b"A2B1", b"D2B0", b"D2B1"}.isdisjoint(_tags(data))
    except struct.error:
        return False


def usable(data: bytes) -> bool:
    """Whether littlecms can work with a profile."""
    import imagecodecs

    layout = {"RGB": ("rgb", 3), "GRAY": ("gray", 1), "CMYK": ("cmyk", 4), "Lab": ("lab", 3)}.get(colour_model(data))
    if layout is None:
        return False
    try:
        _transform(imagecodecs, np.zeros((1, 1, layout[1]), np.uint16), data, layout[0])
    except Exception:  # littlecms raises its own kinds
        return False
    return True


def _transform(codecs: Any, pixels: NDArray[Any], data: bytes, space: str) -> NDArray[np.uint16]:
    """littlecms: relative colorimetric without black point compensation or shortcuts, to 16-bit ROMM."""
    block = pixels[..., 0] if pixels.shape[2] == 1 else pixels
    found = codecs.cms_transform(
        np.ascontiguousarray(block),
        data,
        profile_of("romm"),
        colorspace=space,
        outcolorspace="rgb",
        outdtype=np.uint16,
        intent=codecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
        flags=codecs.CMS.FLAGS.NOOPTIMIZE,
    )
    return np.asarray(found)


def through(pixels: NDArray[Any], data: bytes, model: str) -> NDArray[np.uint16]:
    """(h, w, n) -> (h, w, 3) 16-bit ROMM by a profile's tables, in strips; raises what littlecms raises."""
    import imagecodecs

    space = {"rgb": "rgb", "grey": "gray", "cmyk": "cmyk"}[model]
    out = np.empty((*pixels.shape[:2], 3), np.uint16)
    for y in range(0, len(pixels), 256):
        out[y : y + 256] = _transform(imagecodecs, pixels[y : y + 256], data, space)
    return out
