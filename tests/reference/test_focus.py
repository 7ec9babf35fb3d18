"""Focus series: the demo's bowl, whose picture without blur is known, and small ones made of known parts."""

from copy import copy
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from tests.as_it_was.merges import laid, raw
from tests.contract.test_passes import area
from tests.reference.test_panorama import decoded_of
from tests.reference.test_series import small
from zincplate.core.merging.focus_depth import MOSAIC_GAINS, WHITE_GAINS, Depth, depth_of, focus_energy, guided, noise_energy
from zincplate.demo import truth
from zincplate.demo.camera import CameraModel, Settings, expose, focal_px, metered, project, signal_per_radiance
from zincplate.demo.dng import dng_bytes
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import even_field, load
from zincplate.formats.decode import decode, facts
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.merges.errors import MergeError
from zincplate.merges.focus.judge import FocusJudgement, judge_focus
from zincplate.merges.focus.master import depth_map, merge_focus, preview_of
from zincplate.merges.focus.options import FocusOptions, Touch
from zincplate.merges.focus.parts import parts, touched, weights_of
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import look_at
from zincplate.merges.laid import laid_part
from zincplate.merges.view import Opened, View
from zincplate.merges.view import opened as opened_together
from zincplate.recipe.document import Recipe
from zincplate.sources.file import Source

Float32 = NDArray[np.float32]
RNG = np.random.default_rng(3)


def silent(frame: Opened) -> Opened:
    """The same frame, which does not say how far away it was focused."""
    source = copy(frame.source)
    source.capture = replace(source.capture, subject_distance_m=0.0)
    return replace(frame, source=source)


def merged(frames: list[Opened], judged: FocusJudgement, options: FocusOptions) -> Float32:
    darkest = np.float32(min(judged.exposure[i] for i in judged.members))
    return np.concatenate([s.camera_values for s in parts(frames, judged, options)], 1) / darkest


@pytest.fixture(scope="module")
def bowl(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    folder = tmp_path_factory.mktemp("bowl")
    frames = opened_together([(f"TW-{n:04d}.dng", Source(decoded_of(n, folder))) for n in range(50, 58)])
    judged = judge_focus(frames, FocusOptions())
    of = truth.of(50 + judged.reference)
    frame, plain = of.frame, replace(of.frame.settings, focus_distance_m=None)
    # a lens that shows everything sharp, at the size that this one has when focused there
    lens = replace(frame.lens_state, focal_length_mm=frame.lens_state.focal_length_mm * of.focal_px / focal_px(
        frame.camera, frame.lens_state, plain
    ))  # fmt: skip
    drawn = project(of.scene, replace(frame.camera, dust_spots=0), lens, plain) * np.float32(signal_per_radiance(of.scene, plain))
    true = np.einsum("ij,jhw->ihw", frame.camera.from_rec709.astype(np.float32), drawn)
    return {"frames": frames, "judged": judged, "true": true, "out": merged(frames, judged, FocusOptions())}


def test_what_focusing_does_to_the_size_is_made_up_for(bowl: dict[str, Any]) -> None:
    judged: FocusJudgement = bowl["judged"]
    assert judged.members == list(range(8)) and judged.reference == 0, "the one that shows least"
    for i, figure in enumerate(judged.figures):
        true = truth.of(50 + i).focal_px / truth.of(50).focal_px
        assert abs(figure.scale - true) < 0.0012 and figure.shift_px < 0.05


def fused(values: Float32, levels: int = 6) -> Float32:
    """The usual way: of every level of Laplacian pyramids the largest coefficient (Burt & Kolczynski, ICCV 1993)."""
    pyramids = []
    for planes in values:
        level, bands = np.ascontiguousarray(planes.transpose(1, 2, 0)), []
        for _ in range(levels):
            below = cv2.pyrDown(level)
            bands.append(level - cv2.pyrUp(below, dstsize=(level.shape[1], level.shape[0])))
            level = below
        pyramids.append([*bands, level])
    out = np.mean([p[-1] for p in pyramids], 0)
    for k in range(levels - 1, -1, -1):
        stack = np.stack([p[k] for p in pyramids])
        best = np.stack([cv2.GaussianBlur(np.abs(s[..., 1]), (0, 0), 1.0) for s in stack]).argmax(0)
        band = np.take_along_axis(stack, best[None, ..., None], 0)[0]
        out = cv2.pyrUp(out, dstsize=(band.shape[1], band.shape[0])) + band
    return np.asarray(out.transpose(2, 0, 1), np.float32)


def test_it_comes_nearer_to_the_truth_than_a_pyramid_of_the_same_frames(bowl: dict[str, Any]) -> None:
    """Where some frame is in focus and nothing is clipped; on pictures as they are seen (gamma 2.2)."""
    frames, judged, true = bowl["frames"], bowl["judged"], bowl["true"]
    h, w = true.shape[1:]
    values = []
    for i in range(8):
        laid, _ = laid_part(frames[i], judged.placements[i], 0, h, w, i == judged.reference)
        values.append(
            laid * np.asarray(frames[i].source.as_shot_neutral, np.float32)[:, None, None] / np.float32(judged.exposure[i])
        )
    blur = np.min([truth.of(50 + i).blur_circle_px() for i in range(8)], 0)
    where = (blur < 2) & (true.max(0) < 0.85)
    where[:24] = where[-24:] = where[:, :24] = where[:, -24:] = False
    where = cv2.erode(where.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    top = float(np.quantile(true[1], 0.999))

    def psnr(planes: Float32) -> float:
        seen = [np.clip(p / top, 0, 1) ** (1 / 2.2) for p in (planes, true)]
        return float(-10 * np.log10(((seen[0] - seen[1])[:, where] ** 2).mean()))

    assert where.mean() > 0.3
    assert psnr(bowl["out"]) > psnr(fused(np.stack(values))) + 1
    assert psnr(bowl["out"]) > max(psnr(v) for v in values) + 3


def test_the_depth_map_runs_as_the_bowl_does(bowl: dict[str, Any]) -> None:
    depth = bowl["judged"].depth.frame
    h, w = depth.shape
    column = depth[:, w // 2]
    inner = column[int(0.12 * h) : int(0.62 * h)]
    assert inner[0] > 5 and inner[-1] < 3
    assert np.abs(np.diff(inner)).max() < 0.6, "no leaps inside"
    assert (np.diff(inner[:: h // 20]) < 0.05).all(), "nearer and nearer"


def test_the_masters_depth_map_parts_near_from_far(bowl: dict[str, Any], tmp_path: Path) -> None:
    """Against the distances that the scene has and those that the frames were focused at; an area that goes by it, too."""
    frames, judged = bowl["frames"], bowl["judged"]
    path = tmp_path / "master.dng"
    path.write_bytes(merge_focus(frames, judged, FocusOptions(), "Test", []).dng)
    source = Source(decode(path))
    focused = [f.source.capture.subject_distance_m for f in frames]
    assert focused == sorted(focused) and source.depth is not None and facts(path)[0].depth_map
    true = cv2.resize(truth.of(50 + judged.reference).depth_m(), source.depth.shape[::-1], interpolation=cv2.INTER_AREA)
    inside = (true > focused[0]) & (true < focused[-1])
    expected = np.interp(true, focused, np.linspace(0, 1, len(focused)))
    off = np.abs(source.depth - expected)[inside]
    assert inside.mean() > 0.6 and np.median(off) < 0.04 and np.quantile(off, 0.95) < 0.1
    near = area({"terms": [{"kind": "depth", "high": 45, "softness": 5}]}, Recipe.neutral(True), source, max(source.depth.shape))
    found, wanted = (near > 0.5)[inside], (expected < 0.475)[inside]
    assert (found & wanted).sum() / (found | wanted).sum() > 0.93
    # taken from far to near it is the same way round
    turned = replace(judged, members=judged.members[::-1], depth=replace(judged.depth, frame=7 - judged.depth.frame))
    np.testing.assert_allclose(depth_map(frames, turned, FocusOptions()), depth_map(frames, judged, FocusOptions()), atol=1e-6)
    # frames that do not say how far away they were focused keep their order
    told = [silent(f) for f in frames]
    np.testing.assert_allclose(depth_map(told, turned, FocusOptions()), 1 - depth_map(told, judged, FocusOptions()), atol=1e-6)


def test_energy_of_detail_is_free_of_noise() -> None:
    noise = RNG.normal(0.3, 0.02, (160, 200)).astype(np.float32)
    variance = np.full(noise.shape, 0.02**2, np.float32)
    flat = focus_energy(noise, variance, 4, WHITE_GAINS)
    ribbed = focus_energy(noise + (np.arange(200) % 4 < 2).astype(np.float32) * 0.1, variance, 4, WHITE_GAINS)
    assert abs(float(flat.mean())) < 0.008 * float(ribbed.mean())
    # the coarser octave counts four times
    assert float(noise_energy(np.array([0.5]), WHITE_GAINS)[0]) == pytest.approx(0.5 * (20 + 4 * 0.112))


@pytest.mark.parametrize(("iso", "ev"), [(100, 0.0), (1600, -2.0)])
def test_that_of_a_sensor_s_noise_is_known(tmp_path: Path, iso: int, ev: float) -> None:
    """Demosaiced green is worked out from its neighbours at half of its sites, and its noise is no white one."""
    camera = CameraModel("Pennick", "Pennick Test 9", 640, 432, hot_sites_per_million=0, response_spread=0, offset_spread_dn=0)
    scene = even_field(640, 432)
    settings = metered(scene, Settings(1 / 100, 8, iso, seed=3), ev)
    path = tmp_path / "even.dng"
    path.write_bytes(dng_bytes(camera, ideal(50), settings, expose(scene, camera, ideal(50), settings), "2026-05-12T07:08:00"))
    frame = opened_together([(path.name, Source(decode(path)))])[0]
    green = frame.source.window(0, 0, 640, 432)[1]
    variance = np.full(green.shape, frame.noise[0][1] * green.mean() + frame.noise[1][1], np.float32)
    left = focus_energy(green, variance, 4, MOSAIC_GAINS)[3:-3, 3:-3].mean()
    assert abs(float(left)) < 0.1 * float(noise_energy(variance, MOSAIC_GAINS).mean())


def faint(noise: float, told: float, shown_in: int = 1) -> Depth:
    """Five frames, of which one shows more, by far less than a block's noise; ``told``: the noise that was taken out."""
    rng = np.random.default_rng(5)
    energies = []
    for k in range(5):
        own = rng.normal(0, 0.4 * noise, (120, 160)) + noise - told + (0.2 * noise if k == shown_in else 0)
        # what was laid on the reference, which is the third, is evened out a little
        energies.append((own if k == 2 else cv2.blur(own, (2, 2))).astype(np.float32))
    light = [np.full((120, 160), -3, np.float32)] * 5
    return depth_of(energies, light, [np.ones((120, 160), bool)] * 5, np.full((120, 160), told, np.float32))


@pytest.mark.parametrize("told", [1.0, 4.0])
def test_where_noise_drowns_it_a_neighbourhood_tells_the_depth(told: float) -> None:
    """Also where four times as much noise was expected as there is."""
    found = faint(1.0, told)
    assert (np.abs(found.frame - 1) < 0.5).mean() > 0.95


def test_depths_are_kept_apart_at_an_edge_of_the_picture_and_even_elsewhere() -> None:
    h, w = 80, 120
    light = np.full((h, w), -2, np.float32)
    light[:, 60:] = -5  # an edge; each side was sharp in another frame
    energies = [np.abs(RNG.normal(0, 1, (h, w))).astype(np.float32) * 0.02 for _ in range(4)]
    energies[0][:, :60] += RNG.random((h, 60)) < 0.2  # few places tell anything
    energies[3][:, 60:] += RNG.random((h, 60)) < 0.2
    found = depth_of(energies, [light] * 4, [np.ones((h, w), bool)] * 4, np.full((h, w), 0.02, np.float32))
    assert (found.frame[:, 5:57] < 0.5).mean() > 0.98 and (found.frame[:, 63:115] > 2.5).mean() > 0.98
    # what a frame does not show it is not taken for
    hidden = [np.ones((h, w), bool)] * 3 + [np.zeros((h, w), bool)]
    assert depth_of(energies, [light] * 4, hidden, np.full((h, w), 0.02, np.float32)).frame.max() <= 2
    same = guided(light, light, 5, 1e-4)
    assert np.abs(same - light).max() < 0.05, "a plane guided by itself keeps its edge"


def test_weights_are_shared_between_the_two_nearest() -> None:
    weight = weights_of(np.array([[0.0, 0.5, 2.0, 1.8]], np.float32), 3)[:, 0]
    np.testing.assert_allclose(weight.sum(0), 1, atol=1e-6)
    np.testing.assert_allclose(weight[:, 0], [1, 0, 0])
    np.testing.assert_allclose(weight[:, 1], [0.5, 0.5, 0])
    np.testing.assert_allclose(weight[:, 2], [0, 0, 1])
    assert weight[2, 3] > 0.8 > 0.2 > weight[1, 3] >= 0


def test_a_stroke_takes_the_frame_that_it_names(bowl: dict[str, Any]) -> None:
    frames, judged = bowl["frames"], bowl["judged"]
    stroke = Touch(frame=7, radius=0.03, points=((0.3, 0.5), (0.5, 0.55)))
    depth = touched(judged.depth.frame, judged, (stroke,))
    h, w = depth.shape
    assert (depth[int(0.525 * h), int(0.4 * w)], depth[int(0.9 * h), int(0.4 * w)]) == (
        7,
        judged.depth.frame[int(0.9 * h), int(0.4 * w)],
    )
    changed = np.nonzero(depth != judged.depth.frame)
    assert abs(changed[1].min() / w - 0.27) < 0.01 and abs(changed[1].max() / w - 0.53) < 0.01
    dot = touched(judged.depth.frame, judged, (Touch(frame=7, radius=0.03, points=((0.5, 0.5),)),))
    assert abs((dot != judged.depth.frame).sum() / (np.pi * (0.03 * w) ** 2) - 1) < 0.05
    out = merged(frames, judged, FocusOptions(touches=(stroke,)))
    y, x = int(0.525 * out.shape[1]), int(0.4 * out.shape[2])
    laid, _ = laid_part(frames[7], judged.placements[7], y, 8, out.shape[2], False)
    neutral = np.asarray(frames[7].source.as_shot_neutral, np.float32)[:, None, None]
    np.testing.assert_allclose(out[:, y : y + 8, x : x + 8], (laid * neutral)[:, :, x : x + 8], rtol=1e-4)


def test_what_does_not_belong_is_told(tmp_path: Path) -> None:
    frames = [small(tmp_path, f"f{i}", i + 1) for i in range(3)]
    hall = small(tmp_path, "hall", 5, scene=load("kiln_hall"), exposure_time_s=1 / 60)
    judged = judge_focus(opened_together([frames[0], hall, frames[1]]), FocusOptions())
    assert judged.members == [0, 2] and "does not lie on its neighbours" in judged.figures[1].reason
    with pytest.raises(MergeError, match="2 to 100 frames; these are 1"):
        judge_focus(opened_together(frames[:1]), FocusOptions())
    with pytest.raises(MergeError, match="all frames but one are left out"):
        judge_focus(opened_together(frames), FocusOptions(leave_out=(0, 1)))
    with pytest.raises(MergeError, match="cannot be the reference"):
        judge_focus(opened_together(frames), FocusOptions(leave_out=(2,), reference=2))
    views: list[View] = []
    brighter = small(tmp_path, "brighter", 8, ev=0.7)
    judged = judge_focus(opened_together([frames[0], brighter]), FocusOptions(), views=views)
    assert abs(judged.figures[1].exposure_ev - 0.7) < 0.02 or abs(judged.figures[0].exposure_ev + 0.7) < 0.02


def test_held_in_the_hand_it_is_laid_on_itself(tmp_path: Path) -> None:
    frames = opened_together([small(tmp_path, f"f{i}", i + 1, yaw_degrees=0.03 * i, roll_degrees=0.2 * i) for i in range(3)])
    judged = judge_focus(frames, FocusOptions())
    assert judged.members == [0, 1, 2]
    first = judged.reference
    of = [Path(tmp_path / f"f{i}.dng") for i in range(3)]
    assert all(p.exists() for p in of)
    middle = np.array([239.5]), np.array([159.5])
    for i in range(3):
        x, y = judged.placements[i].at(*middle)
        # 50 mm on 36 mm of 480 pixels: 667 pixels to the tangent
        assert abs(float(x[0]) - 239.5 + np.tan(np.radians(0.03 * (i - first))) * 667) < 0.15 and abs(float(y[0]) - 159.5) < 0.15


def test_before_is_the_reference_alone(bowl: dict[str, Any]) -> None:
    look = look_at(bowl["frames"], FocusOptions(), LensDatabase(), lambda _: None, Kept(), "")
    assert look.before is not None and look.before.shape == look.picture.shape
    # as bright, and what the other frame is sharp in is not
    assert abs(float(look.before.mean()) - float(look.picture.mean())) < 2
    sharp, soft = (float(np.abs(np.diff(p[..., 1].astype(int), axis=1)).mean()) for p in (look.picture, look.before))
    assert soft < 0.8 * sharp


def test_every_column_is_mixed_to_its_end(bowl: dict[str, Any]) -> None:
    """Of each frame only the columns are read in which it counts: none may be missing at the end of them."""
    green = bowl["out"][1]
    for end, beside in ((0, 1), (-1, -2)):
        assert (green[:, end] > 0.5 * green[:, beside]).mean() > 0.95


def test_drawn_pictures_without_noise_have_a_depth_as_well() -> None:
    energies = [np.zeros((60, 80), np.float32) for _ in range(3)]
    energies[2][:, :40] = 0.1
    found = depth_of(
        energies, [np.full((60, 80), -3, np.float32)] * 3, [np.ones((60, 80), bool)] * 3, np.zeros((60, 80), np.float32)
    )
    assert np.isfinite(found.frame).all() and np.isfinite(found.sure).all() and (found.frame[:, 8:32] > 1.5).all()


@pytest.mark.parametrize(("moved_px", "reference", "touched_at"), [
    (0, 0, None),  # the frame that shows most: those focused farther do not reach its rim
    (0, 4, None),
    (5, None, None),
    (12, 2, 0.98),
])  # fmt: skip
def test_no_place_stays_black_at_the_rim(moved_px: float, reference: int | None, touched_at: float | None) -> None:
    """Frames from the hand or another reference: where the frame that is sharp shows nothing, one that does."""
    frames, planes = [], []
    for number in range(5):
        sharp = laid(750 + moved_px * number * (-1) ** number, 450 + 0.6 * moved_px * number, scale=1 - 0.004 * number)
        radius = np.abs(np.linspace(0, 4, sharp.shape[2]) - number)
        out = np.zeros_like(sharp)
        for level in range(9):
            near = np.clip(1 - np.abs(radius / 0.5 - level), 0, 1).astype(np.float32)
            out += near * np.stack([cv2.GaussianBlur(p, (0, 0), 0.3 + 0.9 * level) for p in sharp])
        planes.append(sharp)
        frames.append(raw(out, 50 + number))
    together = opened_together([(f"TW-00{number:02d}.dng", frame) for number, frame in enumerate(frames)])
    touches = () if touched_at is None else (Touch(frame=0, radius=0.05, points=((touched_at, 0.1), (touched_at, 0.9))),)
    options = FocusOptions(reference=reference, touches=touches)
    views: list[View] = []
    judged = judge_focus(together, options, views=views)
    assert len(judged.members) == 5
    assert (judged.placements[judged.reference].homography == np.eye(3)).all(), "its own rim lies on it"
    out = merged(together, judged, options)
    soft, of = (cv2.blur(green, (7, 7)) for green in (out[1], planes[judged.reference][1]))
    rim = np.ones(of.shape, bool)
    rim[9:-9, 9:-9] = False
    apart_ev = np.abs(np.log2(soft / of))[rim]
    assert out.min() > 0 and apart_ev.max() < 0.9 and np.median(apart_ev) < 0.1, "as light as the scene all round"
    picture = preview_of(together, views, judged, options)
    assert picture.max(2).min() > 0
