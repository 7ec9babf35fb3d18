"""The simulated camera: sensor figures (EMVA Standard 1288, release 4.0), lens, and files."""

import numpy as np

from zincplate.demo.camera import CameraModel, LensModel, Settings, expose, project
from zincplate.demo.card import FRAMES
from zincplate.demo.scenes import Scene, decode_log, encode_log, load

CAMERA = CameraModel("Pennick", "Pennick Test 4", 256, 256, hot_sites=0)
FLAT_LENS = LensModel("flat", 50, blur_px=0.3)


def flat(level: float) -> Scene:
    """An even grey field."""
    return Scene("flat", np.full((256, 256, 3), level, np.float32), 0.18)


def green(mosaic: np.ndarray) -> np.ndarray:
    """Sites of the first green, black taken off."""
    return mosaic[0::2, 1::2].astype(np.float64) - CAMERA.black


def test_photon_transfer_is_a_line_whose_slope_is_the_gain() -> None:
    # EMVA 1288, section 6.6: variance of the difference of two frames over the mean
    gain_dn = (CAMERA.white - CAMERA.black) / CAMERA.full_well_electrons
    means, variances = [], []
    for level in (0.0, 0.02, 0.1, 0.3, 0.6, 0.9):
        a, b = (green(expose(flat(level), CAMERA, FLAT_LENS, Settings(0.01, 4, seed=s)).mosaic) for s in (1, 2))
        means.append((a.mean() + b.mean()) / 2)
        variances.append((a - b).var() / 2)
    slope, offset = np.polyfit(means, variances, 1, w=1 / np.array(variances))
    assert abs(slope / gain_dn - 1) < 0.03
    read_variance = (CAMERA.read_noise_electrons * gain_dn) ** 2 + 1 / 12
    assert abs(offset - read_variance) < 2.0


def test_one_stop_is_a_factor_of_two_until_the_well_is_full() -> None:
    low, high = (green(expose(flat(0.2), CAMERA, FLAT_LENS, Settings(0.01, 4, meter_ev=ev)).mosaic).mean() for ev in (0, 1))
    assert abs(high / low - 2) < 0.01
    full = expose(flat(0.2), CAMERA, FLAT_LENS, Settings(0.01, 4, meter_ev=6)).mosaic
    assert (full == CAMERA.white).all()


def test_noise_at_black_is_the_read_noise() -> None:
    mosaic = expose(flat(0.0), CAMERA, FLAT_LENS, Settings(0.01, 4)).mosaic.astype(float)
    gain_dn = (CAMERA.white - CAMERA.black) / CAMERA.full_well_electrons
    expected = np.hypot(CAMERA.read_noise_electrons * gain_dn, CAMERA.offset_spread_dn)
    assert abs(mosaic.std() / np.hypot(expected, 12**-0.5) - 1) < 0.1


def test_the_same_input_gives_the_same_bytes_and_hot_sites_stay() -> None:
    camera = CameraModel("Pennick", "Pennick Test 5", 256, 256, hot_sites=40)
    a, b, c = (expose(flat(0.0), camera, FLAT_LENS, Settings(2.0, 4, seed=s)).mosaic for s in (1, 1, 2))
    assert (a == b).all() and (a != c).any()
    hot = [set(np.flatnonzero(m > camera.black + 60)) for m in (a, c)]
    assert len(hot[0]) > 20 and len(hot[0] & hot[1]) > 0.8 * len(hot[0])


def test_lens_draws_as_described() -> None:
    picture = np.zeros((256, 256, 3), np.float32)
    picture[:, 200] = 1
    lens = LensModel("bent", 50, distortion_k1=-0.1, blur_px=0.3)
    image = project(Scene("line", picture, 0.18), CAMERA, lens, Settings(1, 4))[..., 1]
    middle, edge = image[128].argmax(), image[20].argmax()
    # Brown 1966: source radius = r (1 + k1 r^2); solved for the two rows
    half = np.hypot(256, 256) / 2
    for row, found in ((128, middle), (20, edge)):
        x = np.arange(256) - 127.5
        r2 = (x**2 + (row - 127.5) ** 2) / half**2
        expected = np.argmin(np.abs(x * (1 - 0.1 * r2) - (200 - 127.5)))
        assert abs(int(found) - int(expected)) <= 1
    dark = project(flat(1.0), CAMERA, LensModel("dark", 24, fall_off=1.0), Settings(1, 4))[..., 1]
    cos4 = 1 / (1 + (21.6 / 24) ** 2 * 0.98) ** 2
    assert abs(dark[1, 1] / dark[128, 128] - cos4) < 0.02


def test_log_coding_is_close_at_every_brightness() -> None:
    values = np.exp2(np.random.default_rng(1).uniform(-12, 6, (64, 64, 3))).astype(np.float32)
    codes, scale = encode_log(values)
    assert np.abs(decode_log(codes, scale) / values - 1).max() < 2e-3


def test_the_card() -> None:
    assert len({f.name for f in FRAMES}) == len(FRAMES) == 19
    assert [f.captured_at for f in FRAMES] == sorted(f.captured_at for f in FRAMES)
    for name in {f.scene for f in FRAMES}:
        scene = load(name)
        assert scene.size == (3000, 2000) and np.isfinite(scene.linear_rec709).all() and scene.linear_rec709.min() >= 0
