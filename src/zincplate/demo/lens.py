"""The simulated lenses, in the terms of lensfun's open profile format, so that a profile describes them exactly.

Distortion ``poly3``: r_d = r_u (1 - k1 + k1 r_u^2), radii in units of half the picture's shorter side.
Lateral colour ``linear``: r_red = k_r r_green, the same for blue.
Fall-off ``pa``: light = 1 + k1 r^2 + k2 r^4 + k3 r^6, radius in units of half the diagonal.
Source: lensfun, "Lens calibration models" (manual, ``lfDistortionModel``, ``lfTCAModel``, ``lfVignettingModel``).
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Float64 = NDArray[np.float64]
SENSOR_WIDTH_MM, SENSOR_HEIGHT_MM = 36.0, 24.0


@dataclass(frozen=True)
class LensState:
    """A lens at one focal length and aperture."""

    focal_length_mm: float
    distortion_k1: float = 0.0
    red_scale: float = 1.0
    blue_scale: float = 1.0
    fall_off: tuple[float, float, float] = (0.0, 0.0, 0.0)
    blur_um: float = 5.4
    """Gaussian sigma of the lens's own blur on the sensor."""

    def undistorted(self, r_d: Float64) -> Float64:
        """Radius without distortion for a radius on the sensor (half the shorter side = 1); Newton's method."""
        k = self.distortion_k1
        r = np.array(r_d, np.float64)
        for _ in range(12):
            r -= (r * (1 - k + k * r * r) - r_d) / (1 - k + 3 * k * r * r)
        return r

    def light(self, r: Float64) -> Float64:
        """Relative light at a radius (half the diagonal = 1)."""
        a, b, c = self.fall_off
        return np.asarray(1 + a * r**2 + b * r**4 + c * r**6)


@dataclass(frozen=True)
class LensModel:
    """A lens: its name, range, and how it behaves over focal length and aperture."""

    make: str
    name: str
    shortest_mm: float
    longest_mm: float
    widest_f_number: float
    distortion: Callable[[float], float]
    """poly3's k1 at a focal length in millimetres."""
    lateral: Callable[[float], tuple[float, float]]
    """Scale of red and of blue at a focal length."""
    darkening: Callable[[float, float], tuple[float, float, float]]
    """The three numbers of ``pa`` at a focal length and f-number."""
    breathing: float = 0.0
    """Share by which the image grows for each 1/m that the focus comes nearer."""
    blur_um: float = 5.4
    stabilised: bool = False

    def at(self, focal_length_mm: float, f_number: float) -> LensState:
        """Raises ``ValueError`` outside the lens's range."""
        if not self.shortest_mm <= focal_length_mm <= self.longest_mm:
            raise ValueError(f"{self.name} has no focal length of {focal_length_mm:g} mm")
        if f_number < self.widest_f_number - 1e-6:
            raise ValueError(f"{self.name} has no aperture of f/{f_number:g}")
        red, blue = self.lateral(focal_length_mm)
        return LensState(
            focal_length_mm,
            self.distortion(focal_length_mm),
            red,
            blue,
            self.darkening(focal_length_mm, f_number),
            self.blur_um,
        )


def _zoom_darkening(focal_length_mm: float, f_number: float) -> tuple[float, float, float]:
    """Natural fall-off (cos^4, to the sixth power of the radius) plus mechanical darkening that stopping down removes."""
    tangent2 = (21.63 / focal_length_mm) ** 2
    open_share = max(0.0, 1 - np.log2(f_number / 2.8) / 2.5)
    return (
        round(-0.9 * tangent2 - 0.10 * open_share, 5),
        round(0.55 * tangent2**1.5 - 0.14 * open_share, 5),
        round(-0.10 * tangent2**2 - 0.03 * open_share, 5),
    )


ZOOM = LensModel(
    "Pennick",
    "Pennick 24-70 mm f/2.8",
    24,
    70,
    2.8,
    distortion=lambda f: round(-0.030 + 0.00082 * (f - 24), 6),
    lateral=lambda f: (round(1.00022 - 0.0000035 * (f - 24), 7), round(0.99972 + 0.0000040 * (f - 24), 7)),
    darkening=_zoom_darkening,
    breathing=0.006,
    stabilised=True,
)
CLOSE_UP = LensModel(
    "Pennick",
    "Pennick 60 mm f/2.8 close-up",
    60,
    60,
    2.8,
    distortion=lambda f: 0.0012,
    lateral=lambda f: (1.00005, 0.99993),
    darkening=lambda f, n: (round(-0.13 - 0.16 * max(0.0, 1 - np.log2(n / 2.8) / 2), 5), round(-0.02, 5), 0.0),
    breathing=0.004,
    blur_um=4.6,
)
LENSES = (ZOOM, CLOSE_UP)


def ideal(focal_length_mm: float = 50.0, blur_um: float = 3.6) -> LensState:
    """A lens without faults, for measuring."""
    return LensState(focal_length_mm, blur_um=blur_um)


def profile_xml(lenses: tuple[LensModel, ...] = LENSES, cameras: tuple[tuple[str, str], ...] = ()) -> str:
    """lensfun database (open XML form, version 1) of the simulated lenses, and of cameras given as (maker, model)."""
    out = ["<!DOCTYPE lensdatabase SYSTEM 'lensfun-database.dtd'>", '<lensdatabase version="1">']
    out.append("    <mount><name>Pennick bayonet</name></mount>")
    for make, model in cameras:
        out.append(
            f"    <camera><maker>{make}</maker><model>{model}</model><mount>Pennick bayonet</mount>"
            "<cropfactor>1</cropfactor></camera>"
        )
    for lens in lenses:
        out.append(f"    <lens><maker>{lens.make}</maker><model>{lens.name}</model><mount>Pennick bayonet</mount>")
        out.append("        <cropfactor>1</cropfactor><aspect-ratio>3:2</aspect-ratio>")
        out.append("        <calibration>")
        zoom = (24, 25, 26, 28, 32, 35, 42, 50, 52, 60, 70)
        focals = zoom if lens.longest_mm > lens.shortest_mm else (lens.shortest_mm,)
        for f in focals:
            out.append(f'            <distortion model="poly3" focal="{f:g}" k1="{lens.distortion(f):g}"/>')
        for f in focals:
            red, blue = lens.lateral(f)
            out.append(f'            <tca model="linear" focal="{f:g}" kr="{red:.7f}" kb="{blue:.7f}"/>')
        for f in focals:
            for n in (2.8, 4, 5.6, 8, 11, 16):
                a, b, c = lens.darkening(f, n)
                for distance in (10, 1000):
                    out.append(
                        f'            <vignetting model="pa" focal="{f:g}" aperture="{n:g}" distance="{distance}" '
                        f'k1="{a:g}" k2="{b:g}" k3="{c:g}"/>'
                    )
        out.append("        </calibration>")
        out.append("    </lens>")
    out.append("</lensdatabase>")
    return "\n".join(out) + "\n"
