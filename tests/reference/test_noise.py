"""Noise: the model from one file, reduction against known noise and OpenCV, hot pixels, and what the wavelet planes hold."""

import cv2
import numpy as np
import pytest
import skimage.data
from scipy.special import erf

from zincplate.core.noise import wavelet_noise
from zincplate.core.noise.learned_noise import reduce_noise_best
from zincplate.core.noise.noise_model import NoiseModel, measure_noise
from zincplate.core.noise.quiet_directions import measure_noise_below_texture
from zincplate.core.noise.wavelet_noise import StabilisedNoise, deviation_of, reduce_noise
from zincplate.core.sensor.demosaic import demosaic_sites, demosaic_window
from zincplate.core.sensor.hot_pixels import hot_sites, replaced
from zincplate.demo import scenes


def mosaic_of(linear: np.ndarray, slope: float, offset: float, seed: int = 3) -> np.ndarray:
    """RGGB sites (rows, columns) of linear planes (3, rows, columns) with photon-like noise, black 512, white 16383."""
    rng = np.random.default_rng(seed)
    sites = np.empty(linear.shape[1:])
    for y, x, c in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        sites[y::2, x::2] = linear[c, y::2, x::2]
    noisy = sites + rng.standard_normal(sites.shape) * np.sqrt(slope * sites + offset)
    return np.clip(np.rint(512 + noisy * (16383 - 512)), 0, 16383).astype(np.uint16)


def scene(width: int = 768, height: int = 512) -> np.ndarray:
    """A piece of a shipped scene as linear planes 0..1, sharp to the pixel."""
    picture = scenes.load("glaze_table").linear_rec709
    piece = np.moveaxis(picture[300 : 300 + 2 * height, 600 : 600 + 2 * width], -1, 0).astype(np.float32)
    piece = np.stack([cv2.resize(p, (width, height), interpolation=cv2.INTER_AREA) for p in piece])
    return np.clip(piece / np.quantile(piece, 0.995), 0, 1).astype(np.float32)


@pytest.mark.parametrize(("slope", "offset"), [(2e-4, 4e-6), (2e-3, 1e-4)])
def test_the_model_is_found_in_one_picture(slope: float, offset: float) -> None:
    # truth: the noise that was put in (EMVA 1288: variance is a line over the mean); texture makes it a little too high
    # where there is little noise
    found = measure_noise(mosaic_of(scene(), slope, offset), np.full((2, 2), 512.0), 16383)
    for level in (0.02, 0.1, 0.4):
        assert float(found.variance(np.array(level))) == pytest.approx(slope * level + offset, rel=0.2)


def textured(name: str) -> np.ndarray:
    """scikit-image's photographs of grass and gravel (public domain), which have no flat place, as linear planes (3, 1024, 1024)
    through a lens, on a sensor that sees less red and blue."""
    grey = (getattr(skimage.data, name)() / 255.0) ** 2.2
    grey = cv2.GaussianBlur(np.block([[grey, grey[:, ::-1]], [grey[::-1], grey[::-1, ::-1]]]), (0, 0), 0.6).astype(np.float32)
    return np.stack([grey * k for k in (0.55, 1.0, 0.7)]) / np.quantile(grey, 0.995)


BLACK = np.full((2, 2), 512.0)


def both(mosaic: np.ndarray) -> tuple[NoiseModel, NoiseModel]:
    """By blocks, and below texture."""
    blocks = measure_noise(mosaic, BLACK, 16383)
    return blocks, measure_noise_below_texture(mosaic, BLACK, 16383, blocks)


@pytest.mark.parametrize("name", ["grass", "gravel"])
@pytest.mark.parametrize(("slope", "offset", "within"), [(2e-4, 4e-6, 2.4), (2e-3, 1e-4, 1.25)])
def test_drawing_that_fills_the_picture_is_told_from_noise(name: str, slope: float, offset: float, within: float) -> None:
    # truth: the noise that was put in, as deviations; blocks take the texture for it
    mosaic = mosaic_of(np.clip(textured(name), 0, 1), slope, offset)
    blocks, below = both(mosaic)
    for level in (0.02, 0.1, 0.4):
        truth = slope * level + offset
        found = float(np.sqrt(below.variance(np.array(level)) / truth))
        assert 0.85 < found < within, (level, found)
        assert float(blocks.variance(np.array(level))) > (1.5 if slope > 1e-3 else 4) ** 2 * truth


@pytest.mark.parametrize(("slope", "offset"), [(2e-5, 4e-7), (2e-4, 4e-6), (2e-3, 1e-4)])
def test_where_there_are_flat_places_nothing_is_told_but_the_noise(slope: float, offset: float) -> None:
    ramp = np.tile(np.linspace(0.01, 0.8, 900, dtype=np.float32), (600, 1))
    for linear, within in ((np.stack([ramp * k for k in (0.55, 1.0, 0.7)]), 0.04), (scene(), 0.3)):
        mosaic = mosaic_of(linear, slope, offset)
        blocks, below = both(mosaic)
        for level in (0.02, 0.1, 0.4):
            found = float(np.sqrt(below.variance(np.array(level)) / (slope * level + offset)))
            assert 1 - 0.04 < found < 1 + within
            assert below.variance(np.array(level)) < 1.15 * blocks.variance(np.array(level))


def test_what_is_clipped_has_no_noise_to_tell() -> None:
    # a fifth of it near white or beyond: clipped sites are quieter than the light they stand for
    bright = np.tile(np.linspace(0.3, 1.05, 900, dtype=np.float32), (600, 1))
    mosaic = mosaic_of(np.stack([bright] * 3), 2e-3, 1e-4)
    _, below = both(mosaic)
    for level in (0.5, 0.8):
        assert float(below.variance(np.array(level))) == pytest.approx(2e-3 * level + 1e-4, rel=0.06)


def test_too_few_patches_tell_nothing_beyond_blocks() -> None:
    small = mosaic_of(np.clip(textured("grass")[:, :240, :250], 0, 1), 2e-3, 1e-4)
    blocks, below = both(small)
    assert below == blocks


def test_grass_keeps_its_blades_when_its_noise_is_reduced() -> None:
    # 50 of 100 of what was measured in the file: by blocks that is mostly grass
    clean, (slope, offset), neutral = np.clip(textured("grass"), 0, 1), (2e-3, 1e-4), np.array([0.55, 1.0, 0.7])
    mosaic = mosaic_of(clean, slope, offset)
    sites = (mosaic.astype(np.float32) - 512) / np.float32(16383 - 512)
    for y, x, c in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        sites[y::2, x::2] /= np.float32(neutral[c])
    planes, balanced = np.ascontiguousarray(demosaic_sites(sites, (0, 0))), clean / neutral[:, None, None]

    def reduced(model: NoiseModel) -> float:
        deviation = np.sqrt(model.slope / neutral) / 2
        noise = StabilisedNoise(model.offset / model.slope, (deviation[0], deviation[1], deviation[2]), True)
        made = reduce_noise(planes, noise, wavelet_noise.LIGHTNESS_STRENGTH / 2, wavelet_noise.COLOUR_STRENGTH / 2)
        return psnr(encoded(made), encoded(balanced))

    by_blocks, below = map(reduced, both(mosaic))
    known = reduced(NoiseModel(slope, offset))
    assert below > by_blocks + 1 and below > known - 0.2, (by_blocks, below, known)


def test_the_planes_of_demosaiced_noise_are_what_the_table_says() -> None:
    rng, n = np.random.default_rng(1), 768
    sites = (0.5 + 0.01 * rng.standard_normal((n, n))).astype(np.float32)
    planes = demosaic_window(sites, np.empty((3, n, n), np.float32), np.empty((n, n), np.float32))
    values = np.empty_like(planes)
    wavelet_noise.to_lightness_and_colour(planes, np.float32(0), values)
    source = values[0]
    for level, factor in enumerate(wavelet_noise.MOSAIC_LIGHTNESS):
        smooth, detail, energy = (np.empty_like(source) for _ in range(3))
        wavelet_noise._split(source, 1 << level, smooth, detail, energy)
        assert detail[100:-100, 100:-100].std() / 0.01 == pytest.approx(factor, rel=0.06)
        source = smooth


def psnr(a: np.ndarray, b: np.ndarray) -> float:
    """Of encoded values 0..1."""
    return float(-10 * np.log10(((a - b) ** 2).mean()))


def encoded(linear: np.ndarray) -> np.ndarray:
    """A gamma of 2.2 is enough for comparing."""
    return np.clip(linear, 0, 1) ** (1 / 2.2)


@pytest.mark.parametrize("slope", [1e-3, 6e-3])
def test_reduction_beats_non_local_means_at_known_noise(slope: float) -> None:
    # reference: OpenCV's fastNlMeansDenoisingColored on the same noisy picture, at the strength that is best for it
    rng, clean = np.random.default_rng(2), scene()
    noisy = (clean + rng.standard_normal(clean.shape) * np.sqrt(slope * clean + 1e-5)).astype(np.float32)
    noise = StabilisedNoise(1e-5 / slope, (slope**0.5 / 2,) * 3, False)
    ours = max(psnr(encoded(reduce_noise(noisy, noise, k, 2 * k)), encoded(clean)) for k in (0.9, 1.2, 1.5))
    eight = np.rint(np.moveaxis(encoded(noisy), 0, -1) * 255).astype(np.uint8)
    theirs = max(
        psnr(np.moveaxis(cv2.fastNlMeansDenoisingColored(eight, None, h, h, 7, 21) / 255.0, -1, 0), encoded(clean))
        for h in (3, 5, 8, 12)
    )
    before = psnr(encoded(noisy), encoded(clean))
    assert ours > before + 5 and ours > theirs + 2


def test_the_best_way_is_better_still_and_shares_out_its_strength() -> None:
    rng, clean = np.random.default_rng(2), scene(384, 256)
    noisy = (clean + rng.standard_normal(clean.shape) * np.sqrt(2e-3 * clean + 1e-5)).astype(np.float32)
    noise = StabilisedNoise(1e-5 / 2e-3, (2e-3**0.5 / 2,) * 3, False)
    best = reduce_noise_best(noisy, noise, 1, 1)
    quick = max(psnr(encoded(reduce_noise(noisy, noise, k, 2 * k)), encoded(clean)) for k in (0.9, 1.2, 1.5))
    assert psnr(encoded(best), encoded(clean)) > quick + 2
    colour_only = reduce_noise_best(noisy, noise, 0, 1)
    lightness = [np.array([0.25, 0.5, 0.25]) @ np.sqrt(np.maximum(p, 0)).reshape(3, -1) for p in (noisy, colour_only, best)]
    assert np.abs(lightness[1] - lightness[0]).mean() < 0.2 * np.abs(lightness[2] - lightness[0]).mean()
    # a part of the picture is calmed as the whole is: tiles of a delivery meet without a seam
    part = reduce_noise_best(np.ascontiguousarray(noisy[:, 64:256, 100:384]), noise, 1, 1)
    assert np.abs(part[:, 40:, 40:] - best[:, 104:256, 140:384]).max() < 2e-3


def test_the_best_way_leaves_alone_what_has_no_noise_and_calms_light_far_beyond_white() -> None:
    # merged exposures and OpenEXR hold light that the network was never shown
    rng, clean = np.random.default_rng(6), scene(384, 256)
    clean[:, 60:140, 150:260] *= 40
    plain = reduce_noise_best(clean, StabilisedNoise(1e-4, (1e-4,) * 3, False), 1, 1)
    assert np.abs(np.sqrt(np.maximum(plain, 0)) - np.sqrt(clean)).max() < 1.5e-3
    slope = 2e-3
    noisy = (clean + rng.standard_normal(clean.shape) * np.sqrt(slope * clean + 1e-5)).astype(np.float32)
    best = reduce_noise_best(noisy, StabilisedNoise(1e-5 / slope, (slope**0.5 / 2,) * 3, False), 1, 1)
    bright = (slice(None), slice(70, 130), slice(160, 250))
    errors = [np.std((np.sqrt(np.maximum(p, 0)) - np.sqrt(clean))[bright]) for p in (noisy, best)]
    assert errors[1] < 0.6 * errors[0]
    assert np.abs(np.sqrt(np.maximum(best, 0)) - np.sqrt(np.maximum(noisy, 0))).max() < 6 * slope**0.5 / 2 * 2


def test_no_strength_changes_nothing_and_even_fields_become_even() -> None:
    rng = np.random.default_rng(4)
    flat = (0.25 + 0.01 * rng.standard_normal((3, 256, 256))).astype(np.float32)
    noise = StabilisedNoise(1e-4, (0.01, 0.01, 0.01), False)
    assert np.abs(reduce_noise(flat, noise, 0, 0) - flat).max() < 1e-6
    calm = reduce_noise(flat, noise, 2.4, 4)
    assert calm[:, 40:-40, 40:-40].std() < 0.12 * flat.std()
    assert calm.mean() == pytest.approx(flat.mean(), rel=2e-3)


def test_a_rendered_picture_tells_its_noise() -> None:
    rng, clean = np.random.default_rng(5), scene(512, 384)
    root = np.sqrt(np.maximum(clean, 0) + 1e-4) + 0.012 * rng.standard_normal(clean.shape)
    assert deviation_of((root**2 - 1e-4).astype(np.float32)) == pytest.approx(0.012, rel=0.25)


def test_hot_pixels_are_found_and_stars_are_kept() -> None:
    rng = np.random.default_rng(6)
    sky = np.full((3, 400, 600), 0.01, np.float32)
    stars = np.zeros((400, 600), np.float32)
    for _ in range(60):
        y, x = rng.integers(10, 390), rng.integers(10, 590)
        stars[y, x] = rng.uniform(1, 8)
    # a star is spread by the lens: 0.8 pixels of deviation is sharper than most
    sky += cv2.GaussianBlur(stars, (0, 0), 0.8)[None]
    sites = mosaic_of(np.clip(sky, 0, 1), 5e-4, 1e-5)
    hot = {(int(y), int(x)) for y, x in zip(rng.integers(4, 396, 80), rng.integers(4, 596, 80), strict=True)}
    with_hot = sites.copy()
    for y, x in hot:
        with_hot[y, x] = 9000
    found, values = hot_sites(with_hot, np.full((2, 2), 512.0), 16383, 5e-4, 1e-5)
    clean = replaced(with_hot, found, values)
    places = {(int(y), int(x)) for y, x in found}
    assert len(places & hot) >= 0.95 * len(hot)
    assert len(places - hot) <= 3
    flux = clean.astype(np.float64).sum() / sites.astype(np.float64).sum()
    assert flux == pytest.approx(1, abs=2e-3)


@pytest.mark.parametrize(
    ("spread_px", "peak", "kept"), [(0.5, 0.8, 0.999), (0.5, 0.1, 0.95), (0.4, 0.3, 0.985), (0.33, 0.8, 0.97)]
)
def test_stars_of_the_size_of_a_site_keep_their_light(spread_px: float, peak: float, kept: float) -> None:
    """Points spread by a Gaussian, integrated over square sites at random places; bounds stated, half-site stars lose nothing."""
    rng = np.random.default_rng(11)
    light, stars = np.full((400, 600), 0.002), np.zeros((400, 600))
    gains = np.array([[0.5, 1.0], [1.0, 0.6]])
    for row in range(10, 390, 14):
        for column in range(10, 590, 14):
            y, x = row + 2 * rng.random(), column + 2 * rng.random()
            j, i = np.arange(row - 3, row + 6), np.arange(column - 3, column + 6)
            of_y, of_x = (0.5 * np.diff(erf((np.append(k, k[-1] + 1) - c) / spread_px / 2**0.5)) for k, c in ((j, y), (i, x)))
            stars[np.ix_(j, i)] += peak * np.outer(of_y, of_x) * gains[np.ix_(j & 1, i & 1)]
    light += stars
    noisy = light + rng.standard_normal(light.shape) * np.sqrt(5e-4 * light + 1e-5)
    sites = np.clip(np.rint(512 + noisy * (16383 - 512)), 0, 16383).astype(np.uint16)
    clean = replaced(sites, *hot_sites(sites, np.full((2, 2), 512.0), 16383, 5e-4, 1e-5))
    lost = (sites.astype(np.float64) - clean).sum() / (16383 - 512)
    assert lost < (1 - kept) * np.clip(stars, 0, 1).sum()
