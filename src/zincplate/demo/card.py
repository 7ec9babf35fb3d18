"""The simulated memory card: files appear on it the way the cameras delivered them, the same bytes every time."""

import io
import os
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from pathlib import Path

from PIL import Image

from zincplate.demo import sheet
from zincplate.demo.camera import Settings
from zincplate.demo.dng import Lens, dng_bytes
from zincplate.demo.frames import FRAMES, SCAN_NAME, SNAPSHOTS, Frame, moment, scene_of
from zincplate.demo.simple_camera import jpeg_bytes

TILES, CLIP, SCANS = "100TILES", "101CLIP", "102SCANS"


def frame_bytes(frame: Frame) -> bytes:
    """The file of a raw frame, cut off where the card lost it."""
    return _coding(frame)()


def _coding(frame: Frame) -> Callable[[], bytes]:
    """Takes the frame; the file is made when the result is called."""
    exposure = frame.expose()

    def code() -> bytes:
        lens = Lens.of(frame.lens)
        data = dng_bytes(frame.camera, frame.lens_state, frame.settings, exposure, frame.captured_at, lens)
        return data[: int(len(data) * frame.cut_at)]

    return code


def _snapshot(scene: str, settings: Settings, seconds: float) -> Callable[[], bytes]:
    return partial(jpeg_bytes, scene_of(scene), settings, moment(seconds))


def _scan_bytes() -> bytes:
    out = io.BytesIO()
    Image.fromarray(sheet.scan()).save(out, "TIFF", dpi=(230, 230), compression="tiff_adobe_deflate")
    return out.getvalue()


def _files() -> Iterator[tuple[str, Callable[[], Callable[[], bytes]]]]:
    """Name of every file in the order of the day, and what takes it: the first call exposes, the second codes."""
    work: list[tuple[float, str, Callable[[], Callable[[], bytes]]]] = [
        (frame.seconds, f"{TILES}/{frame.name}", partial(_coding, frame)) for frame in FRAMES
    ]
    for name, scene, settings, seconds in SNAPSHOTS:
        work.append((seconds, f"{CLIP}/{name}", partial(_snapshot, scene, settings, seconds)))
    work.append((FRAMES[-1].seconds + 1, f"{SCANS}/{SCAN_NAME}", lambda: _scan_bytes))
    for _, name, take in sorted(work, key=lambda entry: entry[0]):
        yield name, take


ALL_NAMES: tuple[str, ...] = tuple(name for name, _ in _files())
"""Every file below DCIM, in the order in which they appear."""


def _write(path: Path, code: Callable[[], bytes]) -> None:
    temporary = path.with_name(f".{path.name}.part")
    temporary.write_bytes(code())
    os.replace(temporary, path)


def write_card(folder: Path) -> Iterator[str]:
    """Takes every frame that is not on the card yet; yields each name below DCIM when its file is complete."""
    target = folder / "DCIM"
    for part in (TILES, CLIP, SCANS):
        (target / part).mkdir(parents=True, exist_ok=True)
    with ThreadPoolExecutor(1, thread_name_prefix="card") as pool:
        waiting: deque[tuple[str, Future[None] | None]] = deque()
        for name, take in _files():
            path = target / name
            # a file is coded and written while the next frame is taken
            waiting.append((name, None if path.exists() else pool.submit(_write, path, take())))
            if len(waiting) > 1:
                yield _finished(*waiting.popleft())
        while waiting:
            yield _finished(*waiting.popleft())


def _finished(name: str, writing: "Future[None] | None") -> str:
    if writing is not None:
        writing.result()
    return name
