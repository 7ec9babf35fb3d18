"""Shared fixtures: a whole stack (database, workers, web server) on loopback, files to work on, a browser."""

import os

os.environ.setdefault("NUMBA_THREADING_LAYER", "omp")

import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest

from zincplate.cli.demo_data import LENSES
from zincplate.demo.camera import CameraModel, Settings, expose, metered
from zincplate.demo.card import frame_bytes
from zincplate.demo.dng import dng_bytes
from zincplate.demo.frames import FRAMES
from zincplate.demo.lens import ideal
from zincplate.demo.scenes import drawn_field
from zincplate.formats.isolated import Decoder
from zincplate.formats.lens_profiles import LensDatabase
from zincplate.services.context import Context
from zincplate.store import database as store
from zincplate.store.home import Home
from zincplate.store.mariadb import Maria
from zincplate.store.models import TABLES

CAMERA = CameraModel("Pennick", "Pennick Test 1", 720, 480)
LENS = ideal()


@lru_cache(maxsize=16)
def small_dng(
    seed: int = 1,
    orientation: int = 1,
    meter_ev: float = 0.3,
    captured_at: str = "2026-05-12T07:08:09.250",
    camera: CameraModel = CAMERA,
) -> bytes:
    """A 720 x 480 raw of the drawn field, or of another size by another ``camera``."""
    scene = drawn_field(720, 480)
    settings = metered(scene, Settings(1 / 125, 8, 200, orientation=orientation, seed=seed), meter_ev)
    return dng_bytes(camera, LENS, settings, expose(scene, camera, LENS, settings), captured_at)


@lru_cache(maxsize=24)
def demo_dng(number: int) -> bytes:
    """A frame of the demo's card: taking one lasts as long as looking at it."""
    return frame_bytes(next(frame for frame in FRAMES if frame.number == number))


@pytest.fixture(scope="session")
def dng(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """One small raw file."""
    path = tmp_path_factory.mktemp("raw") / "TW-0500.dng"
    path.write_bytes(small_dng())
    return path


@pytest.fixture(scope="session")
def decoder() -> Iterator[Decoder]:
    """One decoding child for all tests."""
    handle = Decoder()
    yield handle
    handle.close()


@pytest.fixture(scope="session")
def lenses(tmp_path_factory: pytest.TempPathFactory) -> LensDatabase:
    """lensfun's data, the simulated lenses', and a file that cannot be read."""
    folder = tmp_path_factory.mktemp("lenses")
    (folder / LENSES.name).write_bytes(LENSES.read_bytes())
    (folder / "broken.xml").write_text("<lensdatabase><lens>", encoding="utf-8")
    return LensDatabase(folder)


@dataclass
class Stack:
    """A running installation of its own."""

    home: Home
    url: str
    maria: Maria
    children: dict[str, "subprocess.Popen[bytes]"]
    environment: dict[str, str]

    def start_worker(self) -> None:
        """A worker process like the start command's."""
        command = [sys.executable, "-W", "ignore", "-m", "zincplate.jobs.worker", "1"]
        self.children["worker"] = subprocess.Popen(command, env=self.environment, start_new_session=True)


def free_port() -> int:
    """A port that nobody listens on."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


@pytest.fixture(scope="session")
def home() -> Iterator[Home]:
    """A library of its own with its own database server. Short path: a socket's name may have 107 bytes."""
    import tempfile

    root = Path(tempfile.mkdtemp(prefix="zp"))
    root.chmod(0o711)
    home = Home(root).make()
    maria = Maria(root, durable=False, buffer_pool="32M").start()
    store.connect(home, pool=8)
    store.migrate()
    yield home
    if not store.database.is_closed():
        store.database.close()
    maria.stop()
    shutil.rmtree(root, ignore_errors=True)


@pytest.fixture(scope="session")
def stack(home: Home) -> Iterator[Stack]:
    """Web server and one worker on that library."""
    from zincplate.jobs.queue import create_tables

    create_tables(home)
    port = free_port()
    environment = {**os.environ, "ZINCPLATE_HOME": str(home.root), "PYTHONPATH": "src"}
    environment.setdefault("ZINCPLATE_PAGE", "web/dist")
    running = Stack(home, f"http://127.0.0.1:{port}", Maria(home.root), {}, environment)
    running.start_worker()
    command = [sys.executable, "-W", "ignore", "-m", "gunicorn", "-k", "zincplate.cli.web_worker.BoundedWorker"]
    command += ["--threads", "32", "--log-level", "error", "--graceful-timeout", "2"]
    command += ["-b", f"127.0.0.1:{port}", "zincplate.cli.wsgi:app"]
    running.children["web"] = subprocess.Popen(command, env=environment, start_new_session=True)
    end = time.monotonic() + 60
    while True:
        try:
            urllib.request.urlopen(running.url + "/api/shoots", timeout=5).read()
            break
        except OSError:
            if time.monotonic() > end:
                raise
            time.sleep(0.05)
    yield running
    for child in running.children.values():
        child.terminate()
    for child in running.children.values():
        child.wait(20)


@pytest.fixture
def context(home: Home, decoder: Decoder) -> Iterator[Context]:
    """Use cases on an empty library, jobs not run by themselves."""
    with store.database.connection_context():
        for table in reversed(TABLES):
            table.delete().execute()
        for folder in (home.originals, home.deliveries, home.recipes, home.cache, home.presets):
            shutil.rmtree(folder, ignore_errors=True)
        for file in (home.manifest, home.labels, home.searches, home.watched):
            file.unlink(missing_ok=True)
        home.make()
        made = Context(home)
        made.decoder.close()
        made.decoder = decoder
        made.renderer._decoder = decoder
        yield made


def gradient(bits: int, height: int = 40, width: int = 64) -> np.ndarray:
    """RGB picture with every kind of value, for identity tests."""
    rng = np.random.default_rng(3)
    top = 2**bits - 1
    picture = rng.integers(0, top + 1, (height, width, 3)).astype(np.uint8 if bits == 8 else np.uint16)
    picture[0, :] = np.linspace(0, top, width)[:, None].astype(picture.dtype)
    picture[1, :3] = np.eye(3, dtype=picture.dtype) * top
    return picture
