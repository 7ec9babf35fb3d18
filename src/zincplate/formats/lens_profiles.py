"""Lens profiles in lensfun's open XML form, read and evaluated by lensfun itself (through lensfunpy).

The curve of a profile is sampled from lensfun's own modifier along one radius, so every model that lensfun knows works and
its numbers are ours. lensfun computes with approximate reciprocals and scatters by up to a fifth of a pixel; all its models
are polynomials of the radius (poly3, poly5, ptlens: ratio of radii, degree 4 at most; linear and poly3 for lateral colour; pa
for fall-off: even, degree 6), so a least-squares fit of those gives the model back without the scatter. All models are
radial; conversions between projections (fisheye) are left alone.
"""

import re
import threading
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import lensfunpy
import numpy as np
from numpy.typing import NDArray

from zincplate.core.geometry.radial import REACH, LensCurve

FAR_M = 1000.0
LIST_LENGTH = 40
FITTED_FROM, FITTED_TO = 0.02, 1.2
"""Halves of the diagonal between which lensfun's numbers are fitted."""


@dataclass(frozen=True)
class LensProfile:
    """A lens of the database, as a list shows it."""

    id: str
    maker: str
    model: str
    crop_factor: float
    shortest_mm: float
    longest_mm: float
    distortion: bool
    lateral: bool
    fall_off: bool


@dataclass(frozen=True)
class Match:
    """What fits a file: ``certain`` when exactly one lens bears the name in the file, else a list, best first."""

    certain: LensProfile | None
    others: tuple[LensProfile, ...]
    crop_factor: float
    """Of the camera (36 mm over the width of its sensor); 0 when the database does not know it."""


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9.]", "", name.lower().replace("f/", "f"))


def _id(lens: Any) -> str:
    return f"{lens.maker} / {lens.model} / {lens.crop_factor:g}"


def _profile(lens: Any) -> LensProfile:
    return LensProfile(
        _id(lens),
        lens.maker,
        lens.model,
        float(lens.crop_factor),
        float(lens.min_focal),
        float(lens.max_focal),
        bool(lens.calib_distortion),
        bool(lens.calib_tca),
        bool(lens.calib_vignetting),
    )


class LensDatabase:
    """lensfun's data and the XML files of some folders. Loaded at first use; safe to use from several threads."""

    def __init__(self, *folders: Path) -> None:
        self._folders = folders
        self._lock = threading.RLock()
        self._seen: tuple[tuple[str, int], ...] | None = None
        self._database: Any = None
        self._lenses: dict[str, Any] = {}
        self.refused: list[str] = []
        """Sentences about files that could not be read."""
        self._curve = lru_cache(maxsize=64)(self._sampled)
        self._match = lru_cache(maxsize=256)(self._matched)

    def stamp(self) -> tuple[tuple[str, int], ...]:
        """What the folders hold now: another value means that answers may have changed."""
        found = (path for folder in self._folders if folder.is_dir() for path in sorted(folder.glob("*.xml")))
        return tuple((str(path), path.stat().st_mtime_ns) for path in found)

    def _open(self) -> Any:
        with self._lock:
            files = self.stamp()
            if self._database is None or files != self._seen:
                self.refused = []
                good = []
                for name, _ in files:
                    refusal = _refusal(name)
                    if refusal:
                        self.refused.append(refusal)
                    else:
                        good.append(name)
                self._database = lensfunpy.Database(paths=good or None, load_common=False)
                self._lenses = {_id(lens): lens for lens in self._database.lenses}
                self._seen = files
                self._curve.cache_clear()
                self._match.cache_clear()
            return self._database

    def search(self, text: str) -> list[LensProfile]:
        """Lenses whose maker and model hold every word of ``text``, by name; at most :data:`LIST_LENGTH`."""
        words = [_plain(word) for word in text.split()]
        with self._lock:
            self._open()
            found = [
                _profile(lens)
                for lens in self._lenses.values()
                if all(word in _plain(f"{lens.maker} {lens.model}") for word in words)
            ]
        return sorted(found, key=lambda p: (p.maker, p.model, p.crop_factor))[:LIST_LENGTH]

    def match(self, make: str, model: str, lens_name: str, focal_length_mm: float) -> Match:
        """Lenses that fit what a file says about its making."""
        with self._lock:
            self._open()
            return self._match(make, model, lens_name, focal_length_mm)

    def _matched(self, make: str, model: str, lens_name: str, focal_length_mm: float) -> Match:
        with self._lock:
            database = self._database
            cameras = database.find_cameras(make or None, model or None) if model else []
            camera = cameras[0] if cameras else None
            crop = float(camera.crop_factor) if camera is not None else 0.0
            named = [
                lens
                for lens in self._lenses.values()
                if lens_name and _plain(lens_name) in (_plain(lens.model), _plain(f"{lens.maker} {lens.model}"))
            ]
            if named:
                # one lens may have been measured on several sizes of sensor: the nearest that is not smaller than ours
                best = min(named, key=lambda lens: (crop > 0 and lens.crop_factor > crop + 0.02, abs(lens.crop_factor - crop)))
                return Match(_profile(best), tuple(_profile(lens) for lens in named if lens is not best), crop)
            likely = database.find_lenses(camera, None, lens_name or None, True) if camera is not None else []
            fits = [lens for lens in likely if _covers(lens, focal_length_mm)]
            if camera is not None and not lens_name and len(likely) == 1 and camera.mount[:1].islower():
                # lensfun's mounts in lower case belong to cameras whose lens cannot be changed
                return Match(_profile(likely[0]), (), crop)
            return Match(None, tuple(_profile(lens) for lens in fits[:LIST_LENGTH]), crop)

    def curve(
        self, profile: str, crop_factor: float, width: int, height: int, focal_length_mm: float, f_number: float
    ) -> LensCurve | None:
        """Correction of a picture of ``width`` x ``height`` pixels; None when there is no such profile.

        Without a crop factor (0) the profile's own is taken, without focal length its shortest, without f-number f/8.
        """
        with self._lock:
            self._open()
            if profile not in self._lenses:
                return None
            return self._curve(profile, crop_factor, width, height, focal_length_mm, f_number)

    def _sampled(
        self, profile: str, crop_factor: float, width: int, height: int, focal_length_mm: float, f_number: float
    ) -> LensCurve:
        lens = self._lenses[profile]
        crop = crop_factor or float(lens.crop_factor)
        focal = focal_length_mm or float(lens.min_focal)
        half_diagonal = float(np.hypot(width, height)) / 2
        radius = np.arange(int(half_diagonal * REACH) + 2, dtype=np.float64)
        one = np.ones_like(radius)
        centre_x, centre_y = (width - 1) / 2, (height - 1) / 2
        flags = lensfunpy.ModifyFlags

        def modifier(what: int, **more: Any) -> Any:
            made = lensfunpy.Modifier(lens, crop, more.pop("width", width), more.pop("height", height))
            made.initialize(focal, f_number or 8.0, FAR_M, 1.0, flags=what, **more)
            return made

        def ratio(places: NDArray[np.float32]) -> NDArray[np.float64]:
            moved = places.astype(np.float64) - centre_x
            return _polynomial(radius / half_diagonal, moved / np.maximum(radius, 1), tuple(range(5)))

        distorted, red, blue, gain = radius, one, one, one
        if lens.calib_distortion:
            places = modifier(flags.DISTORTION).apply_geometry_distortion(centre_x, centre_y, len(radius), 1)
            if places is not None:
                distorted = radius * ratio(places[0, :, 0])
        if lens.calib_tca:
            places = modifier(flags.TCA).apply_subpixel_distortion(centre_x, centre_y, len(radius), 1)
            if places is not None:
                red, blue = ratio(places[0, :, 0, 0]), ratio(places[0, :, 2, 0])
        if lens.calib_vignetting:
            gain = _gain(modifier, flags.VIGNETTING, width, height, radius / half_diagonal)
        return LensCurve(radius, distorted, red, blue, gain)


def _polynomial(
    rho: NDArray[np.float64], values: NDArray[np.float64], powers: tuple[int, ...], at: NDArray[np.float64] | None = None
) -> NDArray[np.float64]:
    """Least-squares polynomial of a radius through scattered values, evaluated everywhere."""
    inside = (rho > FITTED_FROM) & (rho < FITTED_TO)
    columns = np.stack([rho[inside] ** p for p in powers], 1)
    found, *_ = np.linalg.lstsq(columns, values[inside], rcond=None)
    where = rho if at is None else at
    return np.asarray(sum(c * where**p for c, p in zip(found, powers, strict=True)), np.float64)


def _refusal(name: str) -> str:
    """Why a file of lens data cannot be used; empty when it can. lensfun passes over broken XML without a word."""
    try:
        database = lensfunpy.Database(paths=[name], load_common=False, load_bundled=False)
        if database.lenses or database.cameras:
            return ""
        reason = "it holds no lens and no camera in lensfun's XML form"
    except (lensfunpy.LensfunError, OSError) as error:
        reason = str(error) or type(error).__name__
    return f"{Path(name).name}: this lens data could not be read ({reason})."


def _gain(modifier: Any, what: int, width: int, height: int, rho: NDArray[np.float64]) -> NDArray[np.float64]:
    """lensfun's correction of fall-off, from a small picture of the same shape; beyond the corners as in them."""
    scale = 600 / max(width, height)
    w, h = max(round(width * scale), 3), max(round(height * scale), 3)
    picture = np.ones((h, w, 3), np.float32)
    made = modifier(what, width=w, height=h, pixel_format=np.float32)
    if not made.apply_color_modification(picture):
        return np.ones_like(rho)
    y, x = np.mgrid[0:h, 0:w]
    small = np.hypot(x - (w - 1) / 2, y - (h - 1) / 2) / (np.hypot(w - 1, h - 1) / 2)
    light = 1 / np.maximum(picture[..., 1].astype(np.float64), 1e-6)
    return 1 / np.maximum(_polynomial(small.ravel(), light.ravel(), (0, 2, 4, 6), np.minimum(rho, 1.0)), 1e-3)


def _covers(lens: Any, focal_length_mm: float) -> bool:
    return not focal_length_mm or lens.min_focal - 0.6 <= focal_length_mm <= lens.max_focal + 0.6
