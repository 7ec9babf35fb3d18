"""The simulated lenses: distortion, lateral colour and fall-off against lensfun; blur, depth of field, shake, dust, pose."""

from dataclasses import replace

import cv2
import lensfunpy
import numpy as np
import pytest

from zincplate.cli.demo_data import LENSES as SHIPPED
from zincplate.demo import optics
from zincplate.demo.camera import CameraModel, Settings, project
from zincplate.demo.frames import FRAMES
from zincplate.demo.lens import CLOSE_UP, LENSES, ZOOM, ideal, profile_xml
from zincplate.demo.scenes import Scene, even_field, grid

CAMERA = CameraModel("Pennick", "Pennick Field 6", 1500, 1000)
SETTINGS = Settings(0.01, 8)


def database() -> lensfunpy.Database:
    """lensfun's own data with the simulated lenses beside them."""
    return lensfunpy.Database(xml=profile_xml(cameras=(("Pennick", "Pennick Field 6"),)), load_common=False)


def modifier(focal_length_mm: float, f_number: float) -> lensfunpy.Modifier:
    """lensfun's correction for a frame of the zoom lens."""
    found = database()
    camera = found.find_cameras("Pennick", "Pennick Field 6")[0]
    lens = found.find_lenses(camera, "Pennick", ZOOM.name)[0]
    correction = lensfunpy.Modifier(lens, camera.crop_factor, CAMERA.width, CAMERA.height)
    correction.initialize(focal_length_mm, f_number, 1000.0, pixel_format=np.float32, flags=lensfunpy.ModifyFlags.ALL)
    return correction


def line_of(image: np.ndarray) -> np.ndarray:
    """Sub-pixel place of a dark line in each row: centre of mass of what is dark."""
    dark = np.clip(0.55 - image, 0, None)
    return np.asarray((dark * np.arange(image.shape[1])).sum(1) / dark.sum(1))


@pytest.mark.parametrize("focal_length_mm", [25, 50])
def test_lensfun_straightens_a_photographed_grid(focal_length_mm: int) -> None:
    scene = grid(1900, 1300, 100)
    lens = replace(ZOOM.at(focal_length_mm, 8), fall_off=(0.0, 0.0, 0.0))
    # the grid is far enough away that it fills the frame at any focal length
    scene = replace(scene, focal_px=lens.focal_length_mm * 1000 / CAMERA.pixel_pitch_um)
    planes = project(scene, CAMERA, lens, SETTINGS)
    places = modifier(focal_length_mm, 8).apply_subpixel_geometry_distortion()
    straight = [cv2.remap(planes[c], np.ascontiguousarray(places[..., c, :]), None, cv2.INTER_CUBIC) for c in range(3)]
    bent_worst, worst = 0.0, 0.0
    for x in (-600, -300, 300, 600):
        near = int(749.5 + x)
        window = slice(near - 24, near + 25)
        rows = np.array([y for y in range(40, 960) if abs((y - 499.5 + 50) % 100 - 50) > 12])

        def off_straight(image: np.ndarray, rows: np.ndarray = rows, window: slice = window) -> tuple[float, float]:
            line = line_of(image[rows, window]) + window.start
            return float(np.abs(line - np.polyval(np.polyfit(rows, line, 1), rows)).max()), float(line.mean())

        bent_worst = max(bent_worst, off_straight(planes[1])[0])
        found = [off_straight(image) for image in straight]
        worst = max(worst, *(off for off, _ in found))
        places_px = [place for _, place in found]
        assert max(places_px) - min(places_px) < 0.15  # red, green and blue lie on the same line
    assert worst < 0.5
    if focal_length_mm == 25:
        assert bent_worst > 2.0


def test_lensfun_flattens_a_photographed_field() -> None:
    planes = project(replace(even_field(64, 64), focal_px=1e-3), CAMERA, ZOOM.at(25, 4), SETTINGS)
    image = np.ascontiguousarray(np.moveaxis(planes, 0, -1))
    assert image[:8, :8].mean() < 0.75 * image[480:520, 730:770].mean()
    assert modifier(25, 4).apply_color_modification(image)
    assert image.max() / image.min() - 1 < 0.015


def test_profiles_stand_beside_the_bundled_ones_and_cover_both_lenses() -> None:
    both = lensfunpy.Database(xml=profile_xml(cameras=(("Pennick", "Pennick Field 6"),)), load_common=False)
    assert {lens.model for lens in both.lenses if lens.maker == "Pennick"} == {lens.name for lens in LENSES}
    assert len(both.lenses) > 1000


def test_a_lens_refuses_what_it_cannot_do() -> None:
    with pytest.raises(ValueError, match="no focal length of 90 mm"):
        ZOOM.at(90, 8)
    with pytest.raises(ValueError, match="no aperture"):
        CLOSE_UP.at(60, 1.4)


def points(planes: np.ndarray) -> tuple[float, float]:
    """Centre of mass of a bright spot, x and y."""
    light = planes[1].astype(np.float64)
    light = np.where(light > light.max() * 0.02, light, 0)
    yy, xx = np.mgrid[0 : light.shape[0], 0 : light.shape[1]]
    return float((light * xx).sum() / light.sum()), float((light * yy).sum() / light.sum())


def spot(x: int, y: int) -> Scene:
    """One soft bright point."""
    picture = np.zeros((1000, 1500, 3), np.float32)
    picture[y, x] = 100
    return Scene("spot", cv2.GaussianBlur(picture, (0, 0), 2.0), 0.18)


def test_pose_moves_the_picture_as_a_turned_camera_does() -> None:
    scene, lens = spot(900, 420), ideal()
    settings = replace(SETTINGS, yaw_degrees=3.0, pitch_degrees=-2.0, roll_degrees=5.0)
    found = points(project(scene, CAMERA, lens, settings))
    f = scene.focal
    ray = settings.turn.T @ np.array([(900 - 749.5) / f, (420 - 499.5) / f, 1.0])
    expected = 749.5 + f * ray[0] / ray[2], 499.5 + f * ray[1] / ray[2]
    assert found == pytest.approx(expected, abs=0.05)
    # turning right moves the subject left, pitching up moves it down
    middle = points(project(spot(750, 500), CAMERA, lens, replace(SETTINGS, yaw_degrees=1.0, pitch_degrees=1.0)))
    assert middle[0] < 740 and middle[1] > 510


def test_blur_circle_of_a_thin_lens() -> None:
    # 50 mm at f/2 focused at 2 m: A = 25 mm; at 4 m c = 25 * (2 / 4) * 50 / 1950 = 0.3205 mm; infinity doubles it
    depth = np.array([[2.0, 4.0, 0.0]], np.float32)
    circle = optics.blur_circle_px(depth, 2.0, 50.0, 2.0, 10.0)
    assert circle[0] == pytest.approx([0.0, 32.05, 64.10], abs=0.05)


def test_depth_of_field_keeps_light_and_blurs_by_the_circle() -> None:
    picture = np.zeros((400, 600, 3), np.float32)
    picture[200, 150] = picture[200, 450] = 1.0
    depth = np.full((400, 600), 3.0, np.float32)
    depth[:, 300:] = 6.0
    planes = np.ascontiguousarray(np.moveaxis(picture, -1, 0))
    circle = optics.blur_circle_px(depth, 3.0, 50.0, 2.8, 24.0)
    out = optics.defocus(planes, circle, depth < 3.0)[1]
    assert out[:, :300].sum() == pytest.approx(1.0, abs=0.01) and out[200, 150] > 0.9
    blurred = out[:, 300:]
    assert blurred.sum() == pytest.approx(1.0, abs=0.03)
    diameter = 2 * np.sqrt((blurred > blurred.max() / 2).sum() / np.pi)
    assert diameter == pytest.approx(float(circle[200, 450]), rel=0.16)


def test_shake_is_the_path_and_moves_no_light() -> None:
    path = ((0.0, 0.0), (6.0, 0.0), (6.0, 3.0))
    kernel = optics.shake_kernel(path)
    assert kernel.sum() == pytest.approx(1, abs=1e-5) and kernel.shape[0] % 2 == 1
    n = kernel.shape[0] // 2
    yy, xx = np.mgrid[-n : n + 1, -n : n + 1]
    assert (kernel * xx).sum() == pytest.approx(0, abs=0.02) and (kernel * yy).sum() == pytest.approx(0, abs=0.02)
    scene, lens = spot(750, 500), ideal()
    still, shaken = (project(scene, CAMERA, lens, replace(SETTINGS, shake_px=p)) for p in ((), path))
    assert shaken.sum() == pytest.approx(float(still.sum()), rel=1e-3)
    assert points(shaken) == pytest.approx(points(still), abs=0.05)
    # a shaken frame is the still one under the kernel
    under = cv2.filter2D(still[1], -1, cv2.flip(kernel, -1), borderType=cv2.BORDER_REFLECT)
    assert np.abs(under - shaken[1]).max() < 1e-4 * float(still.max())


def test_dust_shows_when_stopped_down() -> None:
    camera = replace(CAMERA, dust_spots=6)
    field = replace(even_field(64, 64), focal_px=1e-3)
    depths = [1 - float(project(field, camera, ideal(), replace(SETTINGS, f_number=n))[1].min() / 0.18) for n in (2.8, 8, 22)]
    assert depths[0] < 0.06 < depths[2] and depths[0] < depths[1] < depths[2]


def test_diffraction_widens_with_the_f_number() -> None:
    def width(f_number: float) -> float:
        image = project(spot(750, 500), CAMERA, ideal(blur_um=30), replace(SETTINGS, f_number=f_number))[1]
        light = image[500].astype(np.float64)
        x = np.arange(light.size)
        mean = (light * x).sum() / light.sum()
        return float(np.sqrt((light * (x - mean) ** 2).sum() / light.sum()))

    # variance grows by (0.42 lambda N)^2: the Gaussian nearest to the Airy pattern (Zhang, Zerubia, Olivo-Marin 2007)
    sigma_px = 0.42 * 0.55 * 64 / CAMERA.pixel_pitch_um
    small = 0.42 * 0.55 * 4 / CAMERA.pixel_pitch_um
    assert width(64) ** 2 - width(4) ** 2 == pytest.approx(sigma_px**2 - small**2, rel=0.1)


def test_the_profiles_that_ship_are_those_of_the_simulated_lenses() -> None:
    bodies = sorted({(frame.camera.make, frame.camera.model) for frame in FRAMES})
    assert SHIPPED.read_text(encoding="utf-8") == profile_xml(cameras=tuple(bodies)), "write demo/simulated_lenses.xml again"
