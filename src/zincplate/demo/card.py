"""The simulated memory card: what the camera took on the morning at Harrow Lane Tileworks."""

import os
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from zincplate.core.temperature import white_point_xy
from zincplate.demo.camera import CameraModel, Exposure, LensModel, Settings, expose
from zincplate.demo.dng import dng_bytes
from zincplate.demo.scenes import load

FIELD_6 = CameraModel("Pennick", "Pennick Field 6", 3000, 2000)
WIDE = LensModel("Pennick 24-70 mm f/4", 28, distortion_k1=-0.018, fall_off=0.55, red_scale=1.00015, blue_scale=0.9998)
NORMAL = LensModel("Pennick 24-70 mm f/4", 50, distortion_k1=0.004, fall_off=0.3, red_scale=1.0001, blue_scale=0.9999)

_START = datetime(2026, 5, 12, 7, 12, 4)


@dataclass(frozen=True)
class CardFrame:
    """One frame of the card before it is taken."""

    number: int
    scene: str
    lens: LensModel
    settings: Settings
    seconds: float
    """After the first frame."""

    @property
    def name(self) -> str:
        """File name as the camera gives it."""
        return f"TW-{self.number:04d}.dng"

    @property
    def captured_at(self) -> str:
        """ISO 8601."""
        return (_START + timedelta(seconds=self.seconds)).isoformat(timespec="milliseconds")

    def expose(self) -> Exposure:
        """Takes the frame, with its truth."""
        return expose(load(self.scene), FIELD_6, self.lens, self.settings)


def _works_front() -> Iterator[CardFrame]:
    light = white_point_xy(5600)
    for number, roll, ev, time_s, zoom, seconds in (
        (1, 0.0, 0.2, 1 / 250, 1.02, 0),
        (2, -1.4, -0.8, 1 / 500, 1.06, 21),
        (3, 1.2, 0.9, 1 / 125, 1.06, 38),
        (4, 0.5, -0.1, 1 / 320, 1.16, 71),
    ):
        settings = Settings(
            time_s, 8, 100, roll_degrees=roll, zoom=zoom, meter_ev=ev, as_shot_xy=light, seed=number,
            shift_px=(12.0 * number, -6.0 * number),
        )  # fmt: skip
        yield CardFrame(number, "works_front", WIDE, settings, seconds)


def _glaze_samples() -> Iterator[CardFrame]:
    for i in range(14):
        drift = i / 13  # the sun goes behind cloud: darker and bluer from frame to frame
        odd = {6: -1.5, 11: 1.6}.get(i, 0.0)
        gain = 2.0 ** (-0.5 * drift)
        light = (gain * (1 - 0.07 * drift), gain, gain * (1 + 0.10 * drift))
        settings = Settings(
            1 / 60, 4, 200, roll_degrees=0.15 * ((i * 5) % 7 - 3), zoom=1.02 + 0.012 * ((i * 3) % 4),
            shift_px=(8.0 * ((i * 7) % 5 - 2), 5.0 * ((i * 4) % 5 - 2)), meter_ev=odd + 0.1, light_gain=light,
            as_shot_xy=white_point_xy(5200 if i != 11 else 3400), seed=10 + i,
        )  # fmt: skip
        yield CardFrame(10 + i, "glaze_target" if i == 0 else "glaze_table", NORMAL, settings, 2400 + 19 * i)


def _loading_door() -> Iterator[CardFrame]:
    settings = Settings(1 / 80, 5.6, 400, meter_ev=-0.6, zoom=1.02, as_shot_xy=white_point_xy(5100), seed=90)
    yield CardFrame(90, "loading_door", WIDE, settings, 9000)


FRAMES: tuple[CardFrame, ...] = (*_works_front(), *_glaze_samples(), *_loading_door())


def write_card(folder: Path) -> Iterator[str]:
    """Takes every frame that is not on the card yet; yields each name when its file is complete."""
    target = folder / "DCIM" / "100TILES"
    target.mkdir(parents=True, exist_ok=True)
    for frame in FRAMES:
        path = target / frame.name
        if not path.exists():
            data = dng_bytes(FIELD_6, frame.lens, frame.settings, frame.expose(), frame.captured_at)
            temporary = path.with_name(f".{path.name}.part")
            temporary.write_bytes(data)
            os.replace(temporary, path)
        yield frame.name
