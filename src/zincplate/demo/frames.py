"""What was photographed at Harrow Lane Tileworks: the story of the card, frame by frame."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

import numpy as np

from zincplate.core.colour.temperature import white_point_xy
from zincplate.demo import sheet
from zincplate.demo.camera import Exposure, Settings, expose
from zincplate.demo.lens import CLOSE_UP, ZOOM, LensModel, LensState
from zincplate.demo.scenes import Scene, even_field, load
from zincplate.demo.sensor import CameraModel

FIELD_6 = CameraModel("Pennick", "Pennick Field 6", 3000, 2000, masked_left=32, masked_top=16, dust_spots=7, serial="600412")
FIELD_24 = CameraModel(
    "Pennick", "Pennick Field 24", 6000, 4000, cfa=(1, 0, 2, 1), full_well_electrons=46_000, read_noise_electrons=2.8,
    masked_left=48, masked_top=32, serial="240077",
)  # fmt: skip
FIELD_6_S = CameraModel(
    "Pennick", "Pennick Field 6 S", 3000, 2000, cfa=(2, 1, 1, 0), full_well_electrons=42_000, read_noise_electrons=2.6,
    second_read_noise_electrons=1.3, masked_left=24, masked_top=16, dust_spots=4, serial="610058",
)  # fmt: skip
ROVE_4 = CameraModel(
    "Pennick", "Pennick Rove 4", 2400, 1600, spectral=True, cfa=(1, 2, 0, 1), bits=12, black=256, full_well_electrons=80_000,
    read_noise_electrons=4.1, second_read_noise_electrons=1.7, dark_electrons_per_s=0.12, hot_sites_per_million=140,
    masked_left=32, dust_spots=5, serial="400931",
)  # fmt: skip

_START = datetime(2026, 5, 12, 7, 12, 4)
_MINUTE, _DAY = 60.0, 86400.0
_RAIN = np.random.default_rng(2026)
_JITTER = _RAIN.normal(0, 1, (120, 3))
"""How unsteadily the hands held the camera, one row a frame."""


@dataclass(frozen=True)
class Frame:
    """One raw frame of the card before it is taken."""

    number: int
    scene: str
    camera: CameraModel
    lens: LensModel
    focal_length_mm: float
    settings: Settings
    seconds: float
    """After the first frame."""
    cut_at: float = 1.0
    """Share of the file that reached the card."""
    note: str = ""

    @property
    def name(self) -> str:
        """File name as the camera gives it."""
        return f"TW-{self.number:04d}.dng"

    @property
    def captured_at(self) -> str:
        """ISO 8601."""
        return moment(self.seconds)

    @property
    def lens_state(self) -> LensState:
        """The lens as it was set."""
        return self.lens.at(self.focal_length_mm, self.settings.f_number)

    def seen(self) -> Scene:
        """The scene in front of the camera."""
        return scene_of(self.scene)

    def expose(self) -> Exposure:
        """Takes the frame, with its truth."""
        return expose(self.seen(), self.camera, self.lens_state, self.settings)


def moment(seconds: float) -> str:
    """ISO 8601 time after the first frame."""
    return (_START + timedelta(seconds=seconds)).isoformat(timespec="milliseconds")


def scene_of(name: str) -> Scene:
    """A shipped or drawn scene by name."""
    if name == "page_on_stand":
        return sheet.page_on_stand()
    if name == "even_field":
        return replace(even_field(64, 64), middle_grey_cd_m2=400.0, focal_px=1e-3)
    return load(name)


def _works_front() -> Iterator[Frame]:
    light = white_point_xy(5600)
    for number, focal, roll, yaw, time_s, f_number, seconds, note in (
        (1, 28, 0.0, 0.0, 1 / 200, 8, 0, ""),
        (2, 28, -1.4, 0.5, 1 / 400, 8, 21, "crooked, too dark"),
        (3, 28, 1.2, -0.4, 1 / 100, 8, 38, "crooked the other way, too bright"),
        (4, 32, 0.5, 0.8, 1 / 200, 8, 71, ""),
        (5, 28, -0.3, 0.2, 1 / 50, 16, 96, "stopped down: dust on the sensor shows in the sky"),
        (6, 28, 0.2, -0.6, 1 / 640, 4, 118, "balance left at tungsten"),
    ):
        settings = Settings(
            time_s, f_number, 100, yaw_degrees=yaw, roll_degrees=roll,
            as_shot_xy=white_point_xy(3200) if number == 6 else light, seed=number,
        )  # fmt: skip
        camera = FIELD_6 if number < 5 else ROVE_4
        yield Frame(number, "works_front", camera, ZOOM, focal, settings, seconds, note=note)


def _glaze_samples() -> Iterator[Frame]:
    for i in range(14):
        drift = i / 13  # the sun goes behind cloud: darker and bluer from frame to frame
        time_s = {6: 1 / 160, 11: 1 / 15}.get(i, 1 / 50)
        gain = 2.0 ** (-0.5 * drift)
        settings = Settings(
            time_s, 4, 200, yaw_degrees=0.11 * ((i * 7) % 5 - 2), pitch_degrees=0.07 * ((i * 4) % 5 - 2),
            roll_degrees=0.15 * ((i * 5) % 7 - 3), light_gain=(gain * (1 - 0.07 * drift), gain, gain * (1 + 0.10 * drift)),
            as_shot_xy=white_point_xy(3400 if i == 11 else 5200), seed=10 + i,
        )  # fmt: skip
        scene, note = ("glaze_target", "with the target") if i == 0 else ("glaze_table", "does not fit" if i in (6, 11) else "")
        yield Frame(10 + i, scene, FIELD_6, ZOOM, 52, settings, 40 * _MINUTE + 19 * i, note=note)


def _kiln_hall() -> Iterator[Frame]:
    """Five exposures two stops apart while someone walks through, one shaken, then three again."""
    base = Settings(0.1, 8, 100, as_shot_xy=white_point_xy(5000))
    for i, (time_s, visitor) in enumerate(((1 / 160, ""), (1 / 40, "step_0"), (0.1, "step_1"), (0.4, "step_2"), (1.6, ""))):
        settings = replace(
            base, exposure_time_s=time_s, visitor=visitor, seed=30 + i, yaw_degrees=0.012 * i, pitch_degrees=-0.008 * i * i
        )
        yield Frame(30 + i, "kiln_hall", ROVE_4, ZOOM, 28, settings, 88 * _MINUTE + 4 * i)
    shaken = replace(
        base,
        exposure_time_s=0.4,
        seed=35,
        yaw_degrees=0.06,
        shake_px=((0.0, 0.0), (3.0, 1.2), (6.5, 0.4), (8.0, -2.2), (5.5, -4.0)),
    )
    yield Frame(35, "kiln_hall", ROVE_4, ZOOM, 28, shaken, 88 * _MINUTE + 31, note="shaken")
    for i, time_s in enumerate((1 / 40, 0.1, 0.4)):
        settings = replace(base, exposure_time_s=time_s, seed=36 + i, yaw_degrees=0.08, roll_degrees=0.1)
        yield Frame(36 + i, "kiln_hall", ROVE_4, ZOOM, 28, settings, 90 * _MINUTE + 4 * i)


def _clay_pit() -> Iterator[Frame]:
    light = white_point_xy(5400)
    for i in range(7):
        a, b, c = _JITTER[40 + i]
        settings = Settings(
            1 / 1000 if i == 4 else 1 / 500, 5.6, 100, yaw_degrees=-45.6 + 15.2 * i + 0.5 * a, pitch_degrees=-5.2 + 0.4 * b,
            roll_degrees=0.6 * c, focus_distance_m=4.0 if i == 2 else None, as_shot_xy=light, seed=40 + i,
        )  # fmt: skip
        note = {2: "focused near", 4: "metered differently"}.get(i, "")
        yield Frame(40 + i, "clay_pit", ROVE_4, ZOOM, 42, settings, 173 * _MINUTE + 6 * i, note=note)
    for i in range(3):
        settings = Settings(1 / 320, 5.6, 100, yaw_degrees=-30 + 30.0 * i, pitch_degrees=-5.4, as_shot_xy=light, seed=47 + i)
        yield Frame(47 + i, "clay_pit", ROVE_4, ZOOM, 42, settings, 176 * _MINUTE + 9 * i)


FOCUS_STEPS_M = tuple(float(v) for v in np.geomspace(0.178, 0.264, 8).round(4))


def _crackle_bowl() -> Iterator[Frame]:
    light = white_point_xy(5900)
    for i, distance in enumerate(FOCUS_STEPS_M):
        settings = Settings(0.3, 16, 200, focus_distance_m=distance, breathing=CLOSE_UP.breathing, as_shot_xy=light, seed=50 + i)
        yield Frame(50 + i, "crackle_bowl", ROVE_4, CLOSE_UP, 60, settings, 258 * _MINUTE + 7 * i)
    for i, distance in enumerate((0.205,)):
        settings = Settings(
            1 / 100, 2.8, 200, focus_distance_m=distance, breathing=CLOSE_UP.breathing, as_shot_xy=light, seed=58 + i
        )
        yield Frame(58 + i, "crackle_bowl", ROVE_4, CLOSE_UP, 60, settings, 260 * _MINUTE + 30 * i)


STARS_APART_S = 25.0


def _night_firing() -> Iterator[Frame]:
    """Twelve frames of the stars, four darks, three flats, one long exposure for the land."""
    start = 15.9 * 3600
    light = white_point_xy(3900)
    for i in range(12):
        settings = Settings(10.0, 2.8, 1600, as_shot_xy=light, temperature_c=19.0, moment_s=STARS_APART_S * i, seed=60 + i)
        yield Frame(60 + i, "night_firing", ROVE_4, ZOOM, 32, settings, start + STARS_APART_S * i)
    for i in range(4):
        settings = Settings(10.0, 2.8, 1600, as_shot_xy=light, temperature_c=19.0, capped=True, seed=72 + i)
        yield Frame(72 + i, "even_field", ROVE_4, ZOOM, 32, settings, start + 330 + 14 * i, note="dark")
    for i in range(3):
        settings = Settings(1 / 250, 2.8, 100, as_shot_xy=white_point_xy(5500), seed=76 + i)
        yield Frame(76 + i, "even_field", ROVE_4, ZOOM, 32, settings, start + 420 + 5 * i, note="flat")
    settings = Settings(240.0, 4, 200, as_shot_xy=light, temperature_c=19.0, moment_s=480.0, seed=79)
    yield Frame(79, "night_firing", ROVE_4, ZOOM, 32, settings, start + 480, note="long exposure for the land")


def _bust() -> Iterator[Frame]:
    for i, (time_s, kelvin, orientation) in enumerate(
        ((1 / 60, 5800, 6), (1 / 125, 5800, 6), (1 / 30, 5800, 6), (1 / 60, 3200, 6), (1 / 60, 5800, 8), (1 / 80, 5800, 6))
    ):
        settings = Settings(
            time_s, 4, 200, roll_degrees=(90.0 if orientation == 6 else -90.0) + 0.15 * i, yaw_degrees=0.05 * i,
            as_shot_xy=white_point_xy(kelvin), orientation=orientation, seed=80 + i,
        )  # fmt: skip
        yield Frame(80 + i, "bust", ROVE_4, CLOSE_UP, 60, settings, _DAY + 170 * _MINUTE + 24 * i)


def _late() -> Iterator[Frame]:
    for i, time_s in enumerate((1 / 250, 1 / 125, 1 / 60)):
        settings = Settings(time_s, 5.6, 400, yaw_degrees=0.01 * i, as_shot_xy=white_point_xy(5100), seed=88 + i)
        yield Frame(88 + i, "loading_door", FIELD_6, ZOOM, 32, settings, _DAY + 480 * _MINUTE + 12 * i)
    dusk = Settings(1 / 25, 4, 800, roll_degrees=0.2, as_shot_xy=white_point_xy(6400), seed=91)
    yield Frame(91, "yard_dusk", ROVE_4, ZOOM, 28, dusk, _DAY + 820 * _MINUTE)
    page = Settings(1 / 30, 8, 200, roll_degrees=0.3, as_shot_xy=white_point_xy(4300), seed=93)
    yield Frame(93, "page_on_stand", FIELD_24, ZOOM, 50, page, 2 * _DAY + 120 * _MINUTE)
    damaged = replace(dusk, exposure_time_s=1 / 13, seed=94)
    yield Frame(94, "yard_dusk", ROVE_4, ZOOM, 28, damaged, 2 * _DAY + 121 * _MINUTE, cut_at=0.62, note="damaged on the way")
    for i, (iso, time_s) in enumerate(((1600, 1 / 60), (3200, 1 / 125), (6400, 1 / 250), (12800, 1 / 500))):
        settings = Settings(  # a borrowed body, held in the hand after sunset
            time_s, 4, iso, yaw_degrees=0.4 * i - 0.6, roll_degrees=0.5 - 0.4 * i, as_shot_xy=white_point_xy(6400), seed=95 + i
        )
        yield Frame(95 + i, "yard_dusk", FIELD_6_S, ZOOM, 30, settings, 2 * _DAY + 818 * _MINUTE + 9 * i, note=f"ISO {iso}")


FRAMES: tuple[Frame, ...] = (
    *_works_front(), *_glaze_samples(), *_kiln_hall(), *_clay_pit(), *_crackle_bowl(), *_night_firing(), *_bust(), *_late(),
)  # fmt: skip


@dataclass(frozen=True)
class Snapshot:
    """A picture of the simple camera, before it is taken."""

    name: str
    scene: str
    focal_length_mm: float
    """As on a sensor 36 mm wide."""
    settings: Settings
    seconds: float


SNAPSHOTS: tuple[Snapshot, ...] = tuple(
    Snapshot(
        f"CLIP{100 + i:04d}.JPG",
        scene,
        focal,
        Settings(
            time_s, 2.8, iso, yaw_degrees=yaw, pitch_degrees=-5.2 if scene == "clay_pit" else 0.0, roll_degrees=roll, seed=200 + i
        ),
        seconds,
    )
    for i, (scene, focal, time_s, iso, yaw, roll, seconds) in enumerate(
        (
            ("works_front", 31, 1 / 1250, 100, 1.0, 2.2, 130),
            ("glaze_table", 60, 1 / 60, 200, 0.5, 1.5, 2680),
            ("kiln_hall", 31, 1 / 40, 400, 1.0, -1.2, 5420),
            ("kiln_hall", 34, 1 / 20, 400, -2.0, 0.8, 5432),
            ("clay_pit", 46, 1 / 1600, 100, -30.0, 1.0, 10590),
            ("clay_pit", 46, 1 / 1600, 100, 5.0, -1.4, 10596),
            ("clay_pit", 46, 1 / 1250, 100, 34.0, 0.6, 10604),
            ("loading_door", 36, 1 / 160, 400, 0.6, -1.0, _DAY + 28840),
            ("loading_door", 40, 1 / 250, 400, -1.5, 1.8, _DAY + 28860),
            ("yard_dusk", 31, 1 / 30, 800, 0.6, 1.2, _DAY + 49220),
        )
    )
)
SCAN_NAME = "TW-0092.tif"
SCAN_SECONDS = 2 * _DAY + 121 * _MINUTE + 1
