"""The spectral camera stands on published tables, photographs scenes exactly, and its matrices do what a DNG says."""

import colour
import numpy as np
import pytest

from zincplate.demo import spectral

SHAPE = colour.SpectralShape(380, 730, 10)


def test_observer_and_lights_are_the_published_ones() -> None:
    """CIE 15 tables as colour-science carries them."""
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(SHAPE)
    assert pytest.approx(observer.values, abs=5e-5) == spectral.OBSERVER
    for name, light in spectral.ILLUMINANTS.items():
        assert light == pytest.approx(colour.SDS_ILLUMINANTS[name].copy().align(SHAPE).values, rel=1e-5)


def test_scene_colours_become_spectra_of_just_that_colour() -> None:
    """Each primary's reflectance under D65 has the primary's chromaticity; together they are a white that reflects all."""
    primaries = spectral._primaries()
    light = spectral.ILLUMINANTS["D65"]
    xyz = (primaries.T * light) @ spectral.OBSERVER / (light @ spectral.OBSERVER[:, 1])
    xy = xyz[:, :2] / xyz.sum(1, keepdims=True)
    # ITU-R BT.709: red 0.640 0.330, green 0.300 0.600, blue 0.150 0.060; the grid's own white moves them a little
    assert xy == pytest.approx(np.array([[0.640, 0.330], [0.300, 0.600], [0.150, 0.060]]), abs=2e-3)
    assert primaries.sum(1) == pytest.approx(1, abs=1e-9)


def test_a_grey_scene_is_the_lights_own_white_in_the_camera() -> None:
    grey = spectral.from_rec709() @ np.full(3, 0.18)
    assert grey == pytest.approx(0.18 * spectral.camera_values(np.ones(36), "D65"), abs=1e-9)
    assert spectral.camera_values(np.ones(36), "D65").max() == pytest.approx(1)


@pytest.mark.parametrize("illuminant", ["D65", "A"])
def test_the_file_s_matrix_keeps_white_and_is_close_for_the_rest(illuminant: str) -> None:
    """White exact; CIEDE2000 of 24 chart patches (BabelColor averages in colour-science) under 3 on average (own bound)."""
    matrix = np.reshape(spectral.colour_matrix(illuminant), (3, 3))
    light = spectral.ILLUMINANTS[illuminant]
    white = light @ spectral.OBSERVER / (light @ spectral.OBSERVER[:, 1])
    assert matrix @ white == pytest.approx(spectral.camera_values(np.ones(36), illuminant), abs=3e-4)
    patches = np.array([sd.copy().align(SHAPE).values for sd in colour.SDS_COLOURCHECKERS["BabelColor Average"].values()])
    true = (patches * light) @ spectral.OBSERVER / (light @ spectral.OBSERVER[:, 1])
    seen = spectral.camera_values(patches, illuminant) @ np.linalg.inv(matrix).T
    xy = white[:2] / white.sum()
    error = colour.delta_E(colour.XYZ_to_Lab(seen, xy), colour.XYZ_to_Lab(true, xy), method="CIE 2000")
    assert error.mean() < 3.0
    assert error.max() > 0.3  # no matrix makes this camera the observer: it fails Luther's condition on purpose


def test_no_combination_of_the_sites_is_the_observer() -> None:
    """Share of the observer's curves that a least-squares mix of the sensitivities leaves unexplained (Luther's condition)."""
    sites = spectral.sensitivities()
    mix, *_ = np.linalg.lstsq(sites, spectral.OBSERVER, rcond=None)
    left = spectral.OBSERVER - sites @ mix
    share = np.linalg.norm(left, axis=0) / np.linalg.norm(spectral.OBSERVER, axis=0)
    assert (share > 0.03).all() and (share < 0.6).all()
    assert (sites >= 0).all() and sites.argmax(0).tolist() == sorted(sites.argmax(0).tolist(), reverse=True)


def test_made_up_reflectances_are_possible_ones() -> None:
    spectra = spectral.training_reflectances(50, seed=3)
    assert spectra.shape == (50, 36) and spectra.min() >= 0.02 and spectra.max() <= 0.95
    assert (spectral.training_reflectances(50, seed=3) == spectra).all()
    assert np.abs(np.diff(spectra, axis=1)).max() < 0.35
