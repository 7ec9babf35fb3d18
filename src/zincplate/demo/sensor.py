"""The simulated sensor, after EMVA Standard 1288 (release 4.0): light to electrons to numbers.

Photo-electrons and dark electrons are Poisson, read noise is Gaussian; photo response, dark current and column offsets
differ from site to site and stay with the body. Above a certain ISO the sensor changes to its second conversion gain with
less read noise. A border of masked sites shows black.
"""

from dataclasses import dataclass
from functools import lru_cache
from statistics import NormalDist

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from zincplate.core.colour.camera_colour import CameraMatrices
from zincplate.core.colour.colour_spaces import SRGB
from zincplate.demo import spectral
from zincplate.demo.lens import SENSOR_WIDTH_MM

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]

# Invented XYZ -> camera matrix of a camera that sees exactly like the standard observer (Luther condition).
EXACT_MATRIX = (0.7866, -0.2108, -0.0555, -0.4869, 1.2483, 0.2681, -0.1176, 0.2069, 0.7501)


@dataclass(frozen=True)
class CameraModel:
    """A camera body with a sensor 36 mm wide. Electrons are per site."""

    make: str
    model: str
    width: int
    height: int
    spectral: bool = False
    """Sees through sensitivities of its own; otherwise exactly like the standard observer."""
    cfa: tuple[int, int, int, int] = (0, 1, 1, 2)
    bits: int = 14
    black: int = 512
    full_well_electrons: float = 62_000.0
    """At ISO 100."""
    read_noise_electrons: float = 3.2
    """Before amplification, at the first conversion gain."""
    late_noise_electrons: float = 2.4
    """After amplification, in electrons at ISO 100."""
    second_gain_iso: int = 640
    second_read_noise_electrons: float = 1.3
    response_spread: float = 0.004
    offset_spread_dn: float = 0.35
    dark_electrons_per_s: float = 0.06
    """Median at 20 degrees; doubles every 6.3 degrees."""
    hot_sites_per_million: float = 60.0
    masked_left: int = 0
    masked_top: int = 0
    dust_spots: int = 0
    serial: str = "100001"

    @property
    def white(self) -> int:
        """Largest number that the converter gives."""
        return (1 << self.bits) - 1

    @property
    def pixel_pitch_um(self) -> float:
        """Distance of two sites."""
        return SENSOR_WIDTH_MM * 1000 / self.width

    @property
    def matrices(self) -> CameraMatrices:
        """What the camera's files say about its colours."""
        if self.spectral:
            return CameraMatrices.plain(spectral.colour_matrix("A"), 2856.0, spectral.colour_matrix("D65"), 6504.0)
        return CameraMatrices.plain(EXACT_MATRIX, 2856.0, EXACT_MATRIX, 6504.0)

    @property
    def from_rec709(self) -> Float64:
        """(3, 3) linear Rec.709 scene colour -> camera values."""
        if self.spectral:
            return spectral.from_rec709()
        return np.asarray(np.reshape(EXACT_MATRIX, (3, 3)) @ SRGB.to_xyz)

    def well_electrons(self, iso: int) -> float:
        """Electrons at which the converter is full."""
        return self.full_well_electrons * 100 / iso

    def total_read_noise(self, iso: int) -> float:
        """Electrons."""
        early = self.second_read_noise_electrons if iso >= self.second_gain_iso else self.read_noise_electrons
        return float(np.hypot(early, self.late_noise_electrons * 100 / iso))

    @property
    def body_seed(self) -> int:
        """Seeds what stays with this body."""
        return int.from_bytes(f"{self.model}{self.serial}".encode(), "little") % (2**61 - 1)


def _pattern(seed: int) -> Float32:
    return np.random.default_rng(seed).standard_normal((1536, 1536), np.float32)


def _tiled(pattern: Float32, shape: tuple[int, int]) -> Float32:
    """A body's pattern repeats every 1,536 sites: drawing all of a large sensor's would take longer than the exposure."""
    times = -(-shape[0] // pattern.shape[0]), -(-shape[1] // pattern.shape[1])
    return np.ascontiguousarray(np.tile(pattern, times)[: shape[0], : shape[1]])


@lru_cache(maxsize=3)
def dark_rate(camera: CameraModel) -> Float32:
    """(h, w) dark electrons per second at 20 degrees, masked border included; hot sites stand far out."""
    rng = np.random.default_rng(camera.body_seed)
    shape = (camera.height + camera.masked_top, camera.width + camera.masked_left)
    rate = _tiled(np.exp(0.35 * _pattern(camera.body_seed)) * np.float32(camera.dark_electrons_per_s), shape)
    count = round(camera.hot_sites_per_million * rate.size / 1e6)
    rate.ravel()[rng.integers(0, rate.size, count)] = 40.0 * np.exp(1.3 * rng.standard_normal(count))
    return rate


@lru_cache(maxsize=4)
def dust_of(camera: CameraModel) -> Float64:
    """(n, 3) x, y, radius in micrometres of the dust on this body's sensor."""
    rng = np.random.default_rng(camera.body_seed + 1)
    n = camera.dust_spots
    width_um = SENSOR_WIDTH_MM * 1000
    return np.stack([rng.uniform(0, width_um, n), rng.uniform(0, width_um * 2 / 3, n), rng.uniform(14, 52, n)], 1)


@njit(cache=True, inline="always")
def _hash(a):  # type: ignore[no-untyped-def]
    """SplitMix64 (Steele, Lea, Flood 2014)."""
    z = (a + np.uint64(0x9E3779B97F4A7C15)) & np.uint64(0xFFFFFFFFFFFFFFFF)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return z ^ (z >> np.uint64(31))


@njit(cache=True, inline="always")
def _uniform(a):  # type: ignore[no-untyped-def]
    """(0, 1)."""
    return (np.float64(_hash(a) >> np.uint64(11)) + 0.5) * (1.0 / 9007199254740992.0)


@njit(cache=True)
def _poisson_small(mean, key):  # type: ignore[no-untyped-def]
    """Exact, by products of uniforms (Knuth, The Art of Computer Programming 2, 3.4.1)."""
    limit, product, count = np.exp(-mean), 1.0, -1.0
    while product > limit or count < 0.0:
        key = _hash(key)
        product *= _uniform(key)
        count += 1.0
    return count


@njit(cache=True, parallel=True, error_model="numpy")
def _read_out(  # type: ignore[no-untyped-def]
    planes,
    matrix,
    cfa,
    top,
    left,
    well,
    dark,
    dark_factor,
    response,
    read_noise,
    offset,
    black,
    white,
    frame,
    normal,
    out,
):
    """Poisson above a mean of 12 is the normal with the skew's first term (Cornish and Fisher 1938)."""
    height, width = out.shape
    gain = (white - black) / well
    for y in prange(height):
        for x in range(width):
            key = _hash(frame ^ (np.uint64(y * width + x) * np.uint64(8)))
            mean = 0.0
            if y >= top and x >= left:
                c = cfa[(y - top) % 2 * 2 + (x - left) % 2]
                r, g, b = planes[0, y - top, x - left], planes[1, y - top, x - left], planes[2, y - top, x - left]
                mean = max(matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b, 0.0) * well
                mean = min(mean * response[y, x], 8.0 * well)
            mean += dark[y, x] * dark_factor
            # two normal deviates of one hash: for the photons and for the amplifier
            z = normal[key & np.uint64(0xFFFF)]
            if mean >= 12.0:
                electrons = max(np.floor(mean + np.sqrt(mean) * z + (z * z - 1.0) / 6.0 + 0.5), 0.0)
            elif mean > 0.0:
                electrons = _poisson_small(mean, key ^ np.uint64(0x1234567))
            else:
                electrons = 0.0
            electrons += read_noise * normal[(key >> np.uint64(24)) & np.uint64(0xFFFF)]
            out[y, x] = np.uint16(min(max(np.rint(electrons * gain + black + offset[x]), 0.0), white))


@lru_cache(maxsize=1)
def _normal_table() -> Float32:
    """65,536 quantiles of the normal distribution, unit variance: deviates out to 4.3 sigma at the cost of one lookup."""
    quantiles = np.array([NormalDist().inv_cdf((i + 0.5) / 65536) for i in range(65536)])
    return np.asarray(quantiles / quantiles.std(), np.float32)


@lru_cache(maxsize=3)
def response(camera: CameraModel) -> Float32:
    """(h, w) relative response of each site, masked border included."""
    shape = (camera.height + camera.masked_top, camera.width + camera.masked_left)
    return _tiled(1 + np.float32(camera.response_spread) * _pattern(camera.body_seed + 3), shape)


def read_out(
    camera: CameraModel, planes: Float32, exposure_time_s: float, iso: int, temperature_c: float, seed: int
) -> NDArray[np.uint16]:
    """Signal (3, h, w), linear Rec.709 with 1 = converter full, to the mosaic with its masked border.

    The same input gives the same numbers.
    """
    out = np.empty((camera.height + camera.masked_top, camera.width + camera.masked_left), np.uint16)
    rng = np.random.default_rng(camera.body_seed + 2)
    offset = camera.offset_spread_dn * rng.standard_normal(out.shape[1])
    _read_out(
        planes, camera.from_rec709, np.array(camera.cfa), camera.masked_top, camera.masked_left, camera.well_electrons(iso),
        dark_rate(camera), exposure_time_s * 2.0 ** ((temperature_c - 20) / 6.3), response(camera),
        camera.total_read_noise(iso), offset, float(camera.black), float(camera.white),
        np.uint64((seed + 1) * 0x9E3779B97F4A7C15 % 2**64), _normal_table(), out,
    )  # fmt: skip
    return out
