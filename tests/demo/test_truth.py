"""What the truth says about frames of the card agrees with what can be measured on them."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from zincplate.demo import truth
from zincplate.demo.camera import focal_px
from zincplate.demo.frames import FRAMES, SNAPSHOTS, Snapshot, scene_of
from zincplate.demo.night import stars
from zincplate.demo.scenes import catalogue
from zincplate.demo.simple_camera import POCKET, POCKET_LENS
from zincplate.demo.truth import scene_places

Array = np.ndarray


def luminance(planes: Array) -> Array:
    """(h, w) of (3, h, w) linear Rec.709, compressed so that highlights do not rule."""
    y = np.tensordot(np.array([0.2126, 0.7152, 0.0722], np.float32), planes, 1)
    return np.asarray(np.log2(np.maximum(y, 0) + 2e-3), np.float32)


def patch_shift(a: Array, b: Array) -> tuple[float, float]:
    """Shift of b against a by phase correlation (Kuglin and Hines 1975) with a Hann window."""
    window = cv2.createHanningWindow(a.shape[::-1], cv2.CV_32F)
    (x, y), _ = cv2.phaseCorrelate(a - a.mean(), b - b.mean(), window)
    return float(x), float(y)


def test_pose_truth_aligns_hand_held_frames() -> None:
    """The homography of the sweep's true poses brings one frame onto the next within 0.1 px."""
    one, two = truth.of(45), truth.of(46)
    a, b = luminance(one.corrected()), luminance(two.corrected())
    warped = cv2.warpPerspective(a, one.homography_to(two), a.shape[::-1], flags=cv2.INTER_LANCZOS4)
    shifts = [
        patch_shift(warped[y : y + 512, x : x + 512], b[y : y + 512, x : x + 512])
        for y, x in ((400, 200), (700, 500), (900, 800), (620, 1100), (1000, 300))
    ]
    assert np.abs(shifts).max() < 0.1
    start = patch_shift(a[600:856, 400:656], b[600:856, 400:656])
    assert np.hypot(*start) > 3  # it had something to align


def test_recorded_frames_agree_with_the_truth_but_for_noise() -> None:
    """Mosaic against noiseless signal: the mean agrees, the scatter is photon and read noise."""
    t = truth.of(12)
    camera, iso = t.frame.camera, t.frame.settings.iso
    mosaic = t.exposure.mosaic[camera.masked_top :, camera.masked_left :].astype(np.float64)
    found = (mosaic[0::2, 1::2] - camera.black) / (camera.white - camera.black)
    true = t.exposure.true_camera[1, 0::2, 1::2].astype(np.float64)
    fair = true < 0.9
    error = (found - true)[fair]
    assert abs(error.mean()) < 2e-5
    well = camera.well_electrons(iso)
    variance = true[fair] / well + (camera.total_read_noise(iso) / well) ** 2 + (camera.response_spread * true[fair]) ** 2
    assert (error**2 / variance).mean() == pytest.approx(1, abs=0.04)


def test_shaken_frame_is_the_still_one_under_its_kernel() -> None:
    """The kernel estimated from shaken and undisturbed frame (regularised division of spectra) is the true one."""
    t = truth.of(35)
    still, shaken = t.undisturbed()[1], t.recorded[1]
    part = (slice(500, 1012), slice(600, 1112))
    window = np.outer(np.hanning(512), np.hanning(512))
    a, b = (np.fft.fft2(np.minimum(p[part], 2.0) * window) for p in (still, shaken))
    estimate = np.real(np.fft.ifft2(b * np.conj(a) / (np.abs(a) ** 2 + 1e-4 * (np.abs(a) ** 2).max())))
    kernel = t.shake_kernel()
    n = kernel.shape[0] // 2
    near = np.roll(estimate, (n, n), (0, 1))[: 2 * n + 1, : 2 * n + 1]
    assert np.corrcoef(near.ravel(), cv2.GaussianBlur(kernel, (0, 0), 1.0).ravel())[0, 1] > 0.8
    yy, xx = np.mgrid[-n : n + 1, -n : n + 1]
    spread = [float((kernel * u * u).sum()) for u in (xx, yy)]
    assert spread[0] > 2 * spread[1] > 1  # it went sideways more than upwards


def test_sharp_where_the_depth_says_so() -> None:
    """Focus series: the frame that is sharpest (modified Laplacian, Nayar 1989) is the one focused at the true depth."""
    frames = [truth.of(n) for n in (50, 52, 54, 56)]
    depth = frames[0].depth_m()
    measures = []
    for t in frames:
        y = luminance(t.recorded)
        strength = np.abs(cv2.Laplacian(y, cv2.CV_32F))
        measures.append(cv2.GaussianBlur(strength, (0, 0), 12))
    focus = np.array([t.frame.settings.focus_distance_m for t in frames])
    best, nearest = np.argmax(measures, 0), np.argmin(np.abs(depth[None] - focus[:, None, None]), 0)
    texture = np.max(measures, 0) > np.percentile(np.max(measures, 0), 60)
    inside = (depth > focus[0] * 0.98) & (depth < focus[-1] * 1.02) & texture
    off = np.abs(best - nearest)[inside]
    assert (off == 0).mean() > 0.6 and (off <= 1).mean() > 0.93


def test_passer_by_is_in_the_frame_and_not_in_the_truth() -> None:
    t = truth.of(32)
    difference = np.abs(luminance(t.recorded) - luminance(t.undisturbed()))
    assert difference.max() > 1.0
    changed = difference > 0.5
    assert 0.001 < changed.mean() < 0.02
    ys, xs = np.nonzero(changed)
    assert ys.std() < 100 and xs.std() < 60  # one person, in one place


def test_stars_turn_with_the_sky_while_the_land_stays() -> None:
    directions, lux, _ = stars()
    brightest = directions[np.argsort(-lux)[:6000]]
    first, last = truth.of(60), truth.of(71)
    a, b = first.star_of(brightest), last.star_of(brightest)
    camera = first.frame.camera
    seen = np.isfinite(a).all(1) & np.isfinite(b).all(1)
    for place in (a, b):
        seen &= (place[:, 0] > 40) & (place[:, 0] < camera.width - 40) & (place[:, 1] > 40) & (place[:, 1] < 420)
    moved = np.linalg.norm((b - a)[seen], axis=1)
    assert moved.min() > 3 and moved.max() < 45
    found = 0
    for t, place in ((first, a[seen]), (last, b[seen])):
        y = t.recorded[1]
        for x0, y0 in place[:25]:
            window = y[int(y0) - 5 : int(y0) + 6, int(x0) - 5 : int(x0) + 6]
            at = np.unravel_index(np.argmax(window), window.shape)
            found += bool(np.hypot(at[1] + int(x0) - 5 - x0, at[0] + int(y0) - 5 - y0) < 1.6)
    assert found > 40
    land = (slice(1100, 1500), slice(900, 1300))
    assert np.abs(first.recorded[1][land] - last.recorded[1][land]).max() < 1e-5 + 0.01 * first.recorded[1][land].max()


def border_of(width: int, height: int) -> Array:
    """Points along the four edges of a sensor."""
    x, y = np.linspace(0, width - 1, 200), np.linspace(0, height - 1, 200)
    edges = [np.stack(np.broadcast_arrays(x, e), 1) for e in (0, height - 1)]
    return np.concatenate([*edges, *(np.stack(np.broadcast_arrays(e, y), 1) for e in (0, width - 1))])


@pytest.mark.parametrize("number", [f.number for f in FRAMES if f.scene not in ("even_field", "page_on_stand")])
def test_no_frame_shows_what_lies_beyond_its_scene(number: int) -> None:
    t = truth.of(number)
    places = t.scene_of(border_of(t.frame.camera.width, t.frame.camera.height))
    assert places.min() > -0.5
    assert (places.max(0) < np.array(t.scene.size) - 0.5).all(), places.max(0)


@pytest.mark.parametrize("shot", SNAPSHOTS, ids=lambda s: s.name)
def test_no_snapshot_does_either(shot: Snapshot) -> None:
    lens = replace(POCKET_LENS, focal_length_mm=shot.focal_length_mm)
    f, scene = focal_px(POCKET, lens, shot.settings), scene_of(shot.scene)
    places = scene_places(border_of(POCKET.width, POCKET.height), scene, POCKET, lens, f, shot.settings.turn)
    assert places.min() > -0.5
    assert (places.max(0) < np.array(scene.size) - 0.5).all(), places.max(0)


PLANES = {  # the renderer's cameras and one plane of each scene (tools/scenes): where from, where to, lean, axis, at, share
    "works_front": ((-7.6, -12.2, 1.6), (0.4, 0, 5.75), 2.2, 1, 0.0, 0.18),
    "glaze_table": ((0.30, -0.62, 0.42), (-0.02, 0.20, 0), -0.8, 2, 0.0, 0.25),
    "kiln_hall": ((1.0, 0.9, 1.6), (-0.35, 16, 2.35), 0.4, 0, -6.0, 0.05),
    "loading_door": ((2.0, 21.6, 1.55), (2.15, 30, 1.72), -0.7, 1, 30.0, 0.25),
    "yard_dusk": ((5.4, -12.4, 1.30), (0.2, -1.0, 2.35), -0.8, 1, 0.0, 0.15),
}


@pytest.mark.parametrize("name", PLANES)
def test_depth_is_the_distance_to_the_walls_and_tables_that_were_built(name: str) -> None:
    """Ray and plane by hand: what looks at the plane lies on it within 2 parts in 1,000 (bricks stand out by that much)."""
    origin, target, lean, axis, at, share = PLANES[name]
    scene = scene_of(name)
    assert scene.depth_m is not None
    ahead = np.subtract(target, origin) / np.linalg.norm(np.subtract(target, origin))
    right = np.cross(ahead, (0, 0, 1)) / np.linalg.norm(np.cross(ahead, (0, 0, 1)))
    up, a = np.cross(right, ahead), np.radians(lean)
    right, up = np.cos(a) * right - np.sin(a) * up, np.cos(a) * up + np.sin(a) * right
    height, width = scene.depth_m.shape
    y, x = np.mgrid[0:height:4, 0:width:4].astype(float)
    u, v = (x - scene.centre[0]) / scene.focal, (y - scene.centre[1]) / scene.focal
    rays = ahead + u[..., None] * right - v[..., None] * up
    rays /= np.linalg.norm(rays, axis=-1, keepdims=True)
    expected = (at - origin[axis]) / rays[..., axis]
    error = np.abs(scene.depth_m[::4, ::4] / expected - 1)
    assert (error < 0.002).mean() > share
    assert (np.abs(scene.depth_m[::4, ::4] * 1.02 / expected - 1) < 0.002).mean() < share / 2  # it could have been otherwise


def test_every_shipped_scene_has_depth_and_the_drawn_ones_say_that_they_have_none() -> None:
    assert all("depth" in facts for facts in catalogue().values())
    with pytest.raises(ValueError, match="even_field has no depth"):
        truth.of(72).depth_m()


def test_unknown_frames_are_said() -> None:
    with pytest.raises(KeyError, match="no frame TW-0999"):
        truth.of(999)
