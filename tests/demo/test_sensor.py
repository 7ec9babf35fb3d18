"""The simulated sensor's figures (EMVA Standard 1288, release 4.0) and exposure (ISO 12232:2019)."""

from dataclasses import replace

import numpy as np
import pytest

from zincplate.demo.camera import CameraModel, Settings, expose, metered, signal_per_radiance
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import Scene
from zincplate.demo.sensor import dark_rate

CAMERA = CameraModel("Pennick", "Pennick Test 4", 256, 256, hot_sites_per_million=0, dark_electrons_per_s=0)
LENS = ideal()
BASE = Settings(0.01, 4)


def flat(level: float) -> Scene:
    """An even grey field."""
    return Scene("flat", np.full((256, 256, 3), level, np.float32), 0.18)


def exposed(level: float, camera: CameraModel = CAMERA, **changes: object) -> np.ndarray:
    """Sites of the first green of a grey field whose grey is metered right, black taken off."""
    settings = replace(metered(flat(0.18), replace(BASE, iso=int(changes.pop("iso", 100)))), **changes)  # type: ignore[arg-type, call-overload]
    return expose(flat(level), camera, LENS, settings).mosaic[0::2, 1::2].astype(np.float64) - camera.black


@pytest.mark.parametrize(("iso", "bits"), [(100, 14), (100, 12), (1600, 14)])
def test_photon_transfer_is_a_line_whose_slope_is_the_gain(iso: int, bits: int) -> None:
    # EMVA 1288, section 6.6: half the variance of the difference of two frames over the mean
    camera = replace(CAMERA, bits=bits, black=256)
    gain_dn = (camera.white - camera.black) / camera.well_electrons(iso)
    means, variances = [], []
    for level in (0.0, 0.02, 0.1, 0.3, 0.6, 0.9):
        a, b = (exposed(level, camera, iso=iso, seed=s) for s in (1, 2))
        means.append((a.mean() + b.mean()) / 2)
        variances.append((a - b).var() / 2)
    slope, offset = np.polyfit(means, variances, 1, w=1 / np.array(variances))
    assert slope == pytest.approx(gain_dn, rel=0.03)
    read_variance = (camera.total_read_noise(iso) * gain_dn) ** 2 + 1 / 12
    assert offset == pytest.approx(read_variance, rel=0.15)


def test_few_photons_are_counted_as_poisson_says() -> None:
    # mean, variance and third moment of a Poisson variable are all its mean
    camera = replace(CAMERA, second_read_noise_electrons=0.0, late_noise_electrons=0.0, offset_spread_dn=0.0, response_spread=0.0)
    well = camera.well_electrons(1600)
    gain = (camera.white - camera.black) / well
    for electrons in (3.0, 9.0, 40.0):
        level = electrons / well / (0.18 / 1.4 / 0.18) / camera.from_rec709[1].sum()
        found = np.concatenate([exposed(level, camera, iso=1600, seed=s).ravel() for s in range(6)]) / gain
        assert found.mean() == pytest.approx(electrons, rel=0.02)
        quantised = 1 / 12 / gain**2
        assert found.var() - quantised == pytest.approx(electrons, rel=0.04)
        third = ((found - found.mean()) ** 3).mean()
        assert third == pytest.approx(electrons, rel=0.35)


def test_exposure_in_real_units() -> None:
    # ISO 12232: saturation at 78 / S lux seconds; H = 0.65 L t / N^2
    settings = Settings(1 / 60, 5.6, 200)
    scene = Scene("card", np.full((8, 8, 3), 0.5, np.float32), 0.18, middle_grey_cd_m2=90.0)
    luminance = 0.5 * 90 / 0.18
    assert signal_per_radiance(scene, settings) * 0.5 == pytest.approx(0.65 * luminance / 60 / 5.6**2 * 200 / 78)
    # common practice: full sun is f/16 at 1/ISO; its 18 % card has about 4000 cd/m2 (from memory)
    sun = metered(Scene("sun", np.full((8, 8, 3), 0.18, np.float32), 0.18, middle_grey_cd_m2=4000.0), Settings(1, 16, 100))
    assert 1 / 200 < sun.exposure_time_s < 1 / 60


def test_one_stop_is_a_factor_of_two_until_the_converter_is_full() -> None:
    dark = exposed(0.1).mean()
    for twice in (
        exposed(0.2),
        exposed(0.1, f_number=4 / 2**0.5),
        exposed(0.1, exposure_time_s=2 * metered(flat(0.18), BASE).exposure_time_s),
    ):
        assert twice.mean() / dark == pytest.approx(2, rel=0.005)
    assert exposed(0.1, iso=200).mean() / dark == pytest.approx(1, rel=0.01)  # metered: the time is halved
    full = expose(flat(12.0), CAMERA, LENS, metered(flat(0.18), BASE)).mosaic
    assert (full == CAMERA.white).all()


def test_noise_at_black_and_the_second_gain() -> None:
    for iso in (100, 400, 800, 3200):
        black = expose(flat(0.0), replace(CAMERA, offset_spread_dn=0.0), LENS, replace(BASE, iso=iso)).mosaic.astype(float)
        gain = (CAMERA.white - CAMERA.black) / CAMERA.well_electrons(iso)
        expected = np.hypot(CAMERA.total_read_noise(iso) * gain, 12**-0.5)
        assert black.std() == pytest.approx(expected, rel=0.03)
    assert CAMERA.total_read_noise(640) < 0.5 * CAMERA.total_read_noise(400)


def test_dark_signal_grows_with_time_and_warmth() -> None:
    camera = replace(CAMERA, dark_electrons_per_s=4.0)
    gain = (camera.white - camera.black) / camera.well_electrons(800)

    def dark(seconds: float, celsius: float) -> float:
        settings = Settings(seconds, 4, 800, capped=True, temperature_c=celsius)
        return float((expose(flat(0.5), camera, LENS, settings).mosaic.astype(float) - camera.black).mean() / gain)

    assert dark(10, 20) == pytest.approx(10 * float(dark_rate(camera).mean()), rel=0.03)
    assert dark(30, 20) / dark(10, 20) == pytest.approx(3, rel=0.03)
    assert dark(10, 26.3) / dark(10, 20) == pytest.approx(2, rel=0.03)


def test_hot_sites_stay_and_the_same_input_gives_the_same_bytes() -> None:
    camera = replace(CAMERA, hot_sites_per_million=600)
    a, again, other = (expose(flat(0.0), camera, LENS, Settings(8.0, 4, seed=s)).mosaic for s in (1, 1, 2))
    assert (a == again).all() and (a != other).any()
    hot = [set(np.flatnonzero(m > camera.black + 40)) for m in (a, other)]
    assert len(hot[0]) > 20 and len(hot[0] & hot[1]) > 0.9 * len(hot[0])
    body = expose(flat(0.0), replace(camera, serial="100002"), LENS, Settings(8.0, 4)).mosaic
    assert len(hot[0] & set(np.flatnonzero(body > camera.black + 40))) < 0.2 * len(hot[0])


def test_masked_border_stays_black_in_full_light() -> None:
    camera = replace(CAMERA, masked_left=32, masked_top=16)
    mosaic = expose(flat(0.9), camera, LENS, metered(flat(0.18), BASE)).mosaic
    assert mosaic.shape == (272, 288)
    border = np.concatenate([mosaic[:16].ravel(), mosaic[:, :32].ravel()]).astype(float)
    assert abs(border.mean() - camera.black) < 0.5
    assert mosaic[16:, 32:].min() > camera.black + 500
