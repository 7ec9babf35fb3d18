"""Panoramas of known scenes: the demo's sweep over the clay pit, and small ones of a test camera with everything that goes wrong.
The truth is where the simulated camera looked, and what its lens drew."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
import tifffile
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates

from tests.conftest import demo_dng
from zincplate.demo import truth
from zincplate.demo.camera import CameraModel, Settings, expose, metered
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ZOOM, profile_xml
from zincplate.demo.scenes import load
from zincplate.formats.decode import decode
from zincplate.formats.decoded import Decoded
from zincplate.formats.dng.master import made_from
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.errors import MergeError
from zincplate.merges.panorama.judge import PanoramaJudgement, judge_panorama
from zincplate.merges.panorama.layout import Layout, file_places, laid_out
from zincplate.merges.panorama.master import merge_panorama
from zincplate.merges.panorama.options import PanoramaOptions
from zincplate.merges.panorama.parts import enlarged, parts
from zincplate.merges.panorama.places import bent, half_size, straight
from zincplate.merges.view import Opened, View
from zincplate.merges.view import opened as opened_together
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
NO_LENSES = LensDatabase()
SMALL = CameraModel("Pennick", "Pennick Test 2", 960, 640, serial="2")


class Made:
    """A panorama with what was found on the way."""

    def __init__(self, frames: list[Opened], options: PanoramaOptions, lenses: LensDatabase = NO_LENSES) -> None:
        views: list[View] = []
        self.frames = frames
        self.judged: PanoramaJudgement = judge_panorama(frames, options, lenses, views=views)
        self.layout: Layout = laid_out(frames, views, self.judged, options)

    def picture(self) -> Float32:
        """In the reference's light."""
        strips = parts(self.frames, self.judged, self.layout)
        return np.concatenate([s.camera_values for s in strips], 1) * np.float32(self.layout.white)


def decoded_of(number: int, folder: Path) -> Decoded:
    path = folder / f"TW-{number:04d}.dng"
    path.write_bytes(demo_dng(number))
    return decode(path)


@pytest.fixture(scope="module")
def pit(tmp_path_factory: pytest.TempPathFactory) -> Made:
    folder = tmp_path_factory.mktemp("pit")
    frames = opened_together([(f"TW-{n:04d}.dng", Source(decoded_of(n, folder))) for n in range(40, 47)])
    return Made(frames, PanoramaOptions(projection="cylinder"))


def true_places(first: truth.Truth, second: truth.Truth, points: Float64) -> Float64:
    """(n, 2) pixels of one frame -> pixels of another, by how the camera was pointed."""
    camera = first.frame.camera
    half = min(camera.width, camera.height) / 2
    uv = (points - [(camera.width - 1) / 2, (camera.height - 1) / 2]) / half
    r = np.maximum(np.hypot(*uv.T), 1e-9)
    uv = uv * (first.frame.lens_state.undistorted(r) / r)[:, None] * half / first.focal_px
    rays = (first.turn @ np.stack([uv[:, 0], uv[:, 1], np.ones(len(uv))])).T
    there = second.sensor_of(rays)
    return np.where((rays @ second.turn)[:, 2:] > 0.1, there, -1e6)


def errors_of(judged: PanoramaJudgement, frames: list[Opened], truths: list[truth.Truth]) -> Float64:
    """Pixels by which places of every two overlapping frames are laid wrong."""
    out = []
    for a, first in enumerate(truths):
        for b, second in enumerate(truths):
            if a == b:
                continue
            w, h = frames[a].source.width, frames[a].source.height
            xx, yy = np.meshgrid(np.linspace(20, w - 20, 24), np.linspace(20, h - 20, 16))
            points = np.stack([xx.ravel(), yy.ravel()], 1)
            half = half_size(frames[a])
            rays = judged.cameras[a].rays(straight(points - half, judged.radials[a]))
            mine = bent(judged.cameras[b].places(rays), judged.radials[b]) + half
            true = true_places(first, second, points)
            inside = ((true > 5) & (true < (w - 6, h - 6))).all(1)
            out.append(np.hypot(*(mine - true)[inside].T))
    return np.concatenate(out)


def test_frames_lie_where_the_camera_looked(pit: Made) -> None:
    truths = [truth.of(n) for n in range(40, 47)]
    assert pit.judged.members == list(range(7))
    found = errors_of(pit.judged, pit.frames, truths)
    assert float(np.median(found)) < 0.08 and float(np.quantile(found, 0.99)) < 0.25
    assert pit.judged.residual_px < 0.1, "and it says so"


def test_that_is_nearer_than_the_library_s_own_stitcher_comes(pit: Made) -> None:
    """OpenCV's pipeline of features, homographies and bundle adjustment by rays, on the developed frames at its usual size."""
    detail = cv2.detail
    scale = 0.6
    pictures = []
    for frame in pit.frames:
        light = np.clip(frame.source.window(0, 0, frame.source.width, frame.source.height) ** (1 / 2.2) * 255, 0, 255)
        whole = light.transpose(1, 2, 0)[..., ::-1].astype(np.uint8)
        pictures.append(cv2.resize(whole, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA))
    features = [detail.computeImageFeatures2(cv2.SIFT_create(1500), p) for p in pictures]
    matches = detail.BestOf2NearestMatcher(False, 0.65).apply2(features)
    _, cameras = detail.HomographyBasedEstimator().apply(features, matches, None)
    for camera in cameras:
        camera.R = camera.R.astype(np.float32)
    adjuster = detail.BundleAdjusterRay()
    adjuster.setConfThresh(1)
    _, cameras = adjuster.apply(features, matches, cameras)
    truths = [truth.of(n) for n in range(40, 47)]
    found = []
    w, h = pit.frames[0].source.width, pit.frames[0].source.height
    xx, yy = np.meshgrid(np.linspace(20, w - 20, 24), np.linspace(20, h - 20, 16))
    points = np.stack([xx.ravel(), yy.ravel()], 1)
    small = np.column_stack([(points + 0.5) * scale - 0.5, np.ones(len(points))])
    for a, b in ((0, 1), (1, 2), (3, 4), (5, 6)):
        k1, k2 = cameras[a].K(), cameras[b].K()
        there = (k2 @ cameras[b].R.T @ cameras[a].R @ np.linalg.inv(k1) @ small.T).T
        theirs = (there[:, :2] / there[:, 2:] + 0.5) / scale - 0.5
        true = true_places(truths[a], truths[b], points)
        inside = ((true > 5) & (true < (w - 6, h - 6))).all(1)
        found.append(np.hypot(*(theirs - true)[inside].T))
    theirs_px = float(np.median(np.concatenate(found)))
    assert float(np.median(errors_of(pit.judged, pit.frames, truths))) < theirs_px / 5


def test_the_frame_that_was_metered_differently_and_the_fall_off_are_made_up_for(pit: Made) -> None:
    exposures = [f.exposure_ev for f in pit.judged.figures]
    np.testing.assert_allclose(exposures, [0, 0, 0, 0, -1, 0, 0], atol=0.01)
    lens = truth.of(40).frame.lens_state
    radial = pit.judged.radials[0]
    half = pit.judged.cameras[0].half_diagonal_px
    for rho in (0.4, 0.7, 0.95):
        gain = float(radial.gain_at(radial.undistorted(np.array([rho * half])))[0])
        assert abs(gain * float(lens.light(np.array(rho))) - 1) < 0.012
    assert pit.judged.evenness.left_over < 0.004


def test_the_frame_that_was_focused_near_is_told_and_hardly_used(pit: Made) -> None:
    sharp = [f.sharpness for f in pit.judged.figures]
    assert sharp[2] < 0.6 and min(s for i, s in enumerate(sharp) if i != 2) > 0.75
    labels = pit.layout.labels
    # what nobody else shows is all that is taken from it
    alone = np.zeros(labels.shape, bool)
    for k, piece in enumerate(pit.layout.pieces):
        if k != 2:
            alone[piece.y : piece.y + piece.shown.shape[0], piece.x : piece.x + piece.shown.shape[1]] |= piece.shown
    own = (labels == 2) & alone
    assert own.mean() < 0.02


def test_no_seam_is_to_be_seen(pit: Made) -> None:
    """Against the scene's own radiance at the place that each pixel was taken from."""
    out, layout, judged = pit.picture(), pit.layout, pit.judged
    h, w = out.shape[1:]
    every = 2
    yy, xx = np.mgrid[0:h:every, 0:w:every] + 0.5
    labels = cv2.resize(layout.labels, (w, h), interpolation=cv2.INTER_NEAREST)[::every, ::every]
    true = np.ones(labels.shape, np.float64)
    for k in range(7):
        at = labels == k
        x, y = file_places(layout.canvas, judged, k, xx[at], yy[at])
        of = truth.of(40 + k)
        scene = of.scene_of(np.stack([x, y], 1) + half_size(pit.frames[k]))
        green = np.einsum("j,hwj->hw", of.frame.camera.from_rec709[1], of.scene.linear_rec709).astype(np.float32)
        true[at] = map_coordinates(green, scene.T[::-1], order=1)
    apart = np.log(np.maximum(cv2.GaussianBlur(out[1][::every, ::every], (0, 0), 4), 1e-6))
    apart -= np.log(np.maximum(cv2.GaussianBlur(true.astype(np.float32), (0, 0), 4), 1e-6))
    covered = cv2.erode((labels >= 0).astype(np.uint8), np.ones((25, 25)), borderValue=0) > 0
    apart -= np.median(apart[covered])
    steps = np.hypot(cv2.Sobel(apart, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(apart, cv2.CV_32F, 0, 1, scale=1 / 8))
    seam = np.zeros(labels.shape, np.uint8)
    seam[:, 1:] |= labels[:, 1:] != labels[:, :-1]
    near = (cv2.dilate(seam, np.ones((9, 9), np.uint8)) > 0) & covered
    away = (cv2.dilate(seam, np.ones((61, 61), np.uint8)) == 0) & covered
    assert near.sum() > 2000 and away.sum() > 100_000
    # an error of light would be a step at the seam and nowhere else
    assert float(np.median(steps[near])) < 1.25 * float(np.median(steps[away])) + 2e-4
    assert float(np.median(np.abs(apart[near]))) < 0.02


def test_a_profile_says_the_same_as_the_frames(pit: Made, tmp_path: Path) -> None:
    (tmp_path / "demo.xml").write_text(profile_xml(cameras=(("Pennick", "Rove 4"), ("Pennick", "Pennick Rove 4"))))
    frames = pit.frames[:3]
    judged = judge_panorama(frames, PanoramaOptions(), LensDatabase(tmp_path))
    assert "24-70" in judged.lens
    assert float(np.median(errors_of(judged, frames, [truth.of(n) for n in range(40, 43)]))) < 0.08
    assert np.abs(judged.evenness.terms).max() < 1e-3, "the profile knows the fall-off"
    without = judge_panorama(frames, PanoramaOptions(profile=False), LensDatabase(tmp_path))
    assert without.lens == ""


def taken(
    folder: Path, name: str, yaw: float, pitch: float = 0.0, roll: float = 0.0, ev: float = 0.0, scene: str = "clay_pit",
    orientation: int = 1, camera: CameraModel = SMALL, at: str = "2026-05-12T08:40:00.000",
) -> tuple[str, Source]:  # fmt: skip
    """A small raw of the test camera, pointed somewhere."""
    lens = ZOOM.at(35, 8)
    settings = metered(load(scene), Settings(1 / 250, 8, 200, seed=len(name)), ev)
    settings = replace(settings, yaw_degrees=yaw, pitch_degrees=pitch, roll_degrees=roll, orientation=orientation)
    path = folder / f"{name}.dng"
    path.write_bytes(dng_bytes(camera, lens, settings, expose(load(scene), camera, lens, settings), at))
    return path.name, Source(decode(path))


def test_rows_columns_and_a_camera_held_upside_down(tmp_path: Path) -> None:
    frames = [
        taken(tmp_path, "a", -22, -6), taken(tmp_path, "b", 2, -7, 1, 0.5), taken(tmp_path, "c", -20, 9, 180, orientation=3),
        taken(tmp_path, "d", 3, 10, 2),
    ]  # fmt: skip
    made = Made(opened_together(frames), PanoramaOptions())
    assert made.judged.members == [0, 1, 2, 3] and made.judged.residual_px < 0.2
    # all are upright in the result: what is right of it is right in every frame
    for camera in made.judged.cameras:
        assert camera.turn[:, 0] @ made.judged.cameras[0].turn[:, 0] > 0.8
    out = made.picture()
    assert made.layout.uncovered == 0 and (out[1] > 0).mean() > 0.99
    assert out.shape[2] > 1300 and out.shape[1] > 750


def test_a_stranger_is_left_out_by_name_and_strangers_alone_are_refused(tmp_path: Path) -> None:
    frames = [taken(tmp_path, "one", -12), taken(tmp_path, "two", 8), taken(tmp_path, "hall", 0, scene="kiln_hall")]
    judged = judge_panorama(opened_together(frames), PanoramaOptions(), NO_LENSES)
    assert judged.members == [0, 1] and "shares nothing" in judged.figures[2].reason
    with pytest.raises(MergeError, match=r"These frames do not connect: one\.dng, hall\.dng"):
        judge_panorama(opened_together([frames[0], frames[2]]), PanoramaOptions(), NO_LENSES)
    with pytest.raises(MergeError, match="2 to 40 frames; these are 1"):
        judge_panorama(opened_together(frames[:1]), PanoramaOptions(), NO_LENSES)
    with pytest.raises(MergeError, match="do not connect"):
        judge_panorama(opened_together(frames[:2]), PanoramaOptions(leave_out=(0,)), NO_LENSES)
    other = taken(tmp_path, "other", 8, camera=replace(SMALL, model="Pennick Other", spectral=True))
    with pytest.raises(MergeError, match=r"other\.dng: It was taken with another camera than one\.dng"):
        judge_panorama(opened_together([frames[0], other]), PanoramaOptions(), NO_LENSES)


def test_without_capture_data_and_in_other_sizes(tmp_path: Path) -> None:
    """Focal length, exposure and lens are found from the frames; a smaller one is enlarged by its own focal length."""
    frames = [taken(tmp_path, "one", -12, ev=-0.6), taken(tmp_path, "two", 8)]
    smaller = taken(tmp_path, "three", 26, camera=replace(SMALL, width=768, height=512))
    bare = []
    for name, source in [*frames, smaller]:
        source.capture = replace(
            source.capture, focal_length_mm=0.0, focal_length_35mm=0.0, exposure_time_s=0.0, f_number=0.0, iso=0, camera_model="",
        )  # fmt: skip
        bare.append((name, source))
    judged = judge_panorama(opened_together(bare), PanoramaOptions(), NO_LENSES)
    assert judged.members == [0, 1, 2] and not judged.focal_told
    focal = [c.focal_px for c in judged.cameras]
    true = 35 / 36 * 960
    assert abs(focal[0] / true - 1) < 0.04 and abs(focal[2] / focal[0] - 0.8) < 0.02
    assert judged.residual_px < 0.3
    exposures = [f.exposure_ev for f in judged.figures]
    assert abs(exposures[0] - exposures[1] + 0.6) < 0.02 and judged.figures[0].told_ev is None


def test_somebody_who_walks_through_is_there_whole_or_not_at_all(tmp_path: Path) -> None:
    (name, still), (other, walked) = taken(tmp_path, "one", -10), taken(tmp_path, "two", 8)
    frames = opened_together([(name, still), (other, walked)])
    options = PanoramaOptions(projection="flat", cut=False)
    empty = Made(frames, options)
    # a patch in the second frame's left part, which the first shows as well
    sites = walked._reader._sites  # type: ignore[attr-defined]
    sites[250:420, 150:230] = 9000
    walked._reader._hot = None  # type: ignore[attr-defined]
    frames = opened_together([(name, still), (other, walked)])
    made = Made(frames, options)
    x, y = np.meshgrid(np.arange(160, 225, 5.0), np.arange(260, 415, 5.0))
    half = half_size(frames[1])
    rays = made.judged.cameras[1].rays(straight(np.stack([x.ravel(), y.ravel()], 1) - half, made.judged.radials[1]))
    from zincplate.core.merging.projections import to_plane

    canvas = made.layout.canvas
    plane = to_plane("flat", rays @ canvas.turn) * canvas.focal_px - (canvas.left, canvas.top)
    labels = made.layout.labels[(plane[:, 1] / made.layout.step).astype(int), (plane[:, 0] / made.layout.step).astype(int)]
    assert len(set(labels.tolist())) == 1
    assert len(empty.judged.members) == 2


@pytest.mark.parametrize("kind", ["flat", "straightened", "cylinder", "sphere"])
def test_every_projection_shows_the_same_light(tmp_path: Path, kind: Any) -> None:
    frames = opened_together([taken(tmp_path, "one", -14, 3), taken(tmp_path, "two", 8, 4, 2, 1.0)])
    made = Made(frames, PanoramaOptions(projection=kind, roll_degrees=3, pitch_degrees=2, rectangle=60 if kind == "flat" else 0))
    out = made.picture()
    assert made.layout.uncovered == 0
    # what the canvas shows in the middle of the reference's own part is what that frame recorded there
    k = made.judged.reference
    rows, columns = np.nonzero(cv2.erode((made.layout.labels == k).astype(np.uint8), np.ones((41, 41), np.uint8), borderValue=0))
    at = len(rows) // 2
    x, y = (int((v[at] + 0.5) * made.layout.step) for v in (columns, rows))
    u, v = (float(p[0]) for p in file_places(made.layout.canvas, made.judged, k, np.array([x + 8.0]), np.array([y + 8.0])))
    source = frames[made.judged.members[k]].source
    hx, hy = half_size(frames[made.judged.members[k]])
    there = source.window(int(u + hx) - 7, int(v + hy) - 7, 16, 16)[1].mean()
    radial = made.judged.radials[k]
    gain = float(radial.gain_at(radial.undistorted(np.array([np.hypot(u, v)])))[0]) * float(made.layout.gains[k, 1])
    assert abs(out[1, y : y + 16, x : x + 16].mean() / (there * gain) - 1) < 0.08


def test_finished_pictures_make_a_master_that_shows_what_they_show(tmp_path: Path) -> None:
    """Cuts of one picture that nobody rendered: a drawn scene."""
    from zincplate.demo.scenes import drawn_field

    whole = drawn_field(1500, 700).linear_rec709
    encoded = np.clip(whole / np.quantile(whole, 0.98), 0, 1) ** (1 / 2.2) * 255
    frames = []
    for i, left in enumerate((0, 320, 620)):
        path = tmp_path / f"cut-{i}.png"
        part = encoded[:, left : left + 800] * (0.86 if i == 1 else 1.0)
        cv2.imwrite(str(path), part[..., ::-1].astype(np.uint8))
        frames.append((path.name, Source(decode(path))))
    made = Made(opened_together(frames), PanoramaOptions(projection="flat"))
    # cuts of a plane: the farther the camera, the truer, and all lie on each other
    assert made.judged.members == [0, 1, 2] and made.judged.residual_px < 0.35
    raw = frames[0][1]
    with pytest.raises(MergeError, match="Camera files and finished pictures"):
        judge_panorama(opened_together([("raw.dng", taken(tmp_path, "raw", 0)[1]), ("x.png", raw)]), PanoramaOptions(), NO_LENSES)


def test_the_master_is_a_raw_of_its_own(tmp_path: Path) -> None:
    frames = opened_together([taken(tmp_path, "one", -14), taken(tmp_path, "two", 8)])
    options = PanoramaOptions()
    made = Made(frames, options)
    master = merge_panorama(
        frames, made.judged, made.layout, options, "Zincplate test", [{"name": "one.dng"}, {"name": "two.dng"}]
    )
    path = tmp_path / "master.dng"
    path.write_bytes(master.dng)
    told = made_from(path)
    assert told is not None and told["kind"] == "panorama" and told["options"]["projection"] == "auto"
    decoded = decode(path)
    assert decoded.capture.lens == "" and decoded.capture.iso == 200
    assert decoded.capture.width == made.layout.canvas.width
    with tifffile.TiffFile(path) as file:
        samples = file.pages[0].asarray()
    # tifffile reads what the strips were, to half floats
    np.testing.assert_allclose(
        samples.transpose(2, 0, 1), made.picture() / np.float32(made.layout.white), rtol=1e-3, atol=2e-6
    )  # fmt: skip
    assert samples.max() <= 1 and master.report["size"] == [samples.shape[1], samples.shape[0]]
    assert decoded.camera is not None
    assert abs(decoded.camera.baseline_exposure_ev - np.log2(made.layout.white)) < 0.01


def test_a_view_too_wide_for_paper_says_so(tmp_path: Path) -> None:
    frames = opened_together([taken(tmp_path, f"f{i}", yaw) for i, yaw in enumerate((-60, -38, -16, 6, 28, 50))])
    views: list[View] = []
    judged = judge_panorama(frames, PanoramaOptions(), NO_LENSES, views=views)
    assert len(judged.members) == 6
    with pytest.raises(MergeError, match="laid out flat at most 140"):
        laid_out(frames, views, judged, PanoramaOptions(projection="flat"))
    wide = laid_out(frames, views, judged, PanoramaOptions())
    assert wide.canvas.kind == "cylinder"
    # the horizon is level although no frame says where it is: uprights of the camera's turns are upright on paper
    assert abs(wide.canvas.turn[:, 1] @ judged.cameras[0].turn[:, 1]) > 0.999


def test_a_reduced_plane_is_enlarged_alike_in_any_part_and_at_any_width() -> None:
    plane = np.random.default_rng(3).random((6, 10_000)).astype(np.float32)
    whole = enlarged(plane, 4, 0, 0, 40_000, 24)
    assert whole.shape == (24, 40_000)
    np.testing.assert_allclose(whole[5:15, 33_000:33_100], enlarged(plane, 4, 33_000, 5, 100, 10), atol=1e-5)
    ramp = np.broadcast_to(np.arange(20, dtype=np.float32), (5, 20))
    np.testing.assert_allclose(enlarged(ramp, 4, 8, 4, 40, 4)[0], (np.arange(8, 48) + 0.5) / 4 - 0.5, atol=1e-3)
