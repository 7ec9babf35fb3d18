"""The simulated memory card: files appear on it the way the cameras delivered them, the same bytes every time."""

import io
import os
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from itertools import groupby
from pathlib import Path

from PIL import Image

from zincplate.demo import sheet
from zincplate.demo.dng import Lens, dng_bytes
from zincplate.demo.frames import FRAMES, SCAN_NAME, SCAN_SECONDS, SNAPSHOTS, Frame, Snapshot, scene_of
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


def _snapshot(shot: Snapshot) -> Callable[[], bytes]:
    return partial(jpeg_bytes, shot)


def _scan_bytes() -> bytes:
    out = io.BytesIO()
    Image.fromarray(sheet.scan()).save(
        out, "TIFF", dpi=(230, 230), compression="tiff_adobe_deflate", tiffinfo={306: "2026:05:14 09:20:00"}
    )
    return out.getvalue()


def _files() -> list[tuple[str, str, Callable[[], Callable[[], bytes]]]]:
    """Name and scene of every file in the order of the day, and what takes it: the first call exposes, the second codes."""
    work: list[tuple[float, str, str, Callable[[], Callable[[], bytes]]]] = [
        (frame.seconds, f"{TILES}/{frame.name}", frame.scene, partial(_coding, frame)) for frame in FRAMES
    ]
    for shot in SNAPSHOTS:
        work.append((shot.seconds, f"{CLIP}/{shot.name}", shot.scene, partial(_snapshot, shot)))
    work.append((SCAN_SECONDS, f"{SCANS}/{SCAN_NAME}", "page_on_stand", lambda: _scan_bytes))
    return [(name, scene, take) for _, name, scene, take in sorted(work, key=lambda entry: entry[0])]


ALL_NAMES: tuple[str, ...] = tuple(name for name, *_ in _files())
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
    work = _files()
    missing = [scene for name, scene, _ in work if not (target / name).exists()]
    coming = deque(scene for scene, _ in groupby(missing))
    with ThreadPoolExecutor(1, "card") as writing, ThreadPoolExecutor(1, "scene") as loading:
        waiting: deque[tuple[str, Future[None] | None]] = deque()
        now, ahead = "", None
        for name, scene, take in work:
            path = target / name
            future = None
            if not path.exists():
                if scene != now:  # the next scene is read while this one is photographed
                    if ahead is not None:
                        ahead.result()
                    coming.popleft()
                    now, ahead = scene, loading.submit(scene_of, coming[0]) if coming else None
                future = writing.submit(_write, path, take())  # a file is coded while the next frame is taken
            waiting.append((name, future))
            if len(waiting) > 1:
                yield _finished(*waiting.popleft())
        while waiting:
            yield _finished(*waiting.popleft())


def _finished(name: str, writing: "Future[None] | None") -> str:
    if writing is not None:
        writing.result()
    return name
