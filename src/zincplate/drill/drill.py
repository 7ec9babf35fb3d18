"""Runs a drill and reports: kills, acknowledged edits, lost ones, deliveries, half files, shared memory left, what ``verify``
says."""

import json
import os
import random
import secrets
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from zincplate.drill import processes
from zincplate.drill.user import GaveUp, Server, Tab
from zincplate.formats.decoder_wire import SEGMENT, SHARED
from zincplate.formats.encode import FORMATS

FRAMES = 6
SMALL_DISK_MB = 24


@dataclass
class Report:
    """What a drill found; everything under ``faults`` should be empty."""

    seconds: float = 0.0
    kills: Counter[str] = field(default_factory=Counter)
    acknowledged: int = 0
    lost: int = 0
    delivered: int = 0
    refused_deliveries: int = 0
    moved_away: int = 0
    disk_full: int = 0
    errors_500: int = 0
    busy_503: int = 0
    half_files: int = 0
    segments_left: int = 0
    longest_silence_s: float = 0.0
    faults: list[str] = field(default_factory=list)

    def lines(self) -> list[str]:
        """For people."""
        killed = ", ".join(f"{kind} {count}" for kind, count in sorted(self.kills.items())) or "none"
        return [
            f"{self.seconds:.0f} s; kills: {sum(self.kills.values())} ({killed})",
            f"edits acknowledged: {self.acknowledged}, lost: {self.lost}",
            f"deliveries: {self.delivered} whole, {self.refused_deliveries} refused with a sentence; half files: "
            f"{self.half_files}",
            f"originals moved away and back: {self.moved_away}; disk full: {self.disk_full or 'not tried'}",
            f"answers 500: {self.errors_500}, busy (503): {self.busy_503}; shared memory left: {self.segments_left}",
            f"longest without an answer: {self.longest_silence_s:.1f} s",
            *self.faults,
            "All as it should be." if not self.faults else f"{len(self.faults)} faults.",
        ]


class Installation:
    """A home, its launcher, and a small disk for its deliveries where one may be mounted."""

    def __init__(self, home: Path, port: int) -> None:
        self.home, self.port = home, port
        self._launcher: subprocess.Popen[bytes] | None = None
        self.small_disk = False

    def start(self) -> None:
        """Starts the launcher; it waits by itself for a port that a killed one held."""
        environment = {**os.environ, "ZINCPLATE_HOME": str(self.home)}
        command = [sys.executable, "-W", "ignore", "-m", "zincplate.cli.main", "start", "--port", str(self.port)]
        with open(self.home / "launcher.log", "ab") as log:
            self._launcher = subprocess.Popen(command, env=environment, stdout=log, stderr=log, start_new_session=True)

    def mend(self) -> None:
        """Starts the launcher again when it is gone."""
        if self._launcher is None or self._launcher.poll() is not None:
            self.start()

    @property
    def launcher(self) -> int:
        """Its process id."""
        return self._launcher.pid if self._launcher is not None else 0

    def mount(self) -> None:
        """Deliveries on a disk that can be filled, where this user may mount one."""
        place = self.home / "deliveries"
        place.mkdir(parents=True, exist_ok=True)
        command = ["mount", "-t", "tmpfs", "-o", f"size={SMALL_DISK_MB}m", "tmpfs", str(place)]
        self.small_disk = os.geteuid() == 0 and _ran(command)

    def stop(self) -> None:
        """Ends everything in order; what does not end is killed."""
        if self._launcher is not None and self._launcher.poll() is None:
            self._launcher.send_signal(signal.SIGINT)
            try:
                self._launcher.wait(40)
            except subprocess.TimeoutExpired:
                self._launcher.kill()
        for process in processes.of_home(self.home, self.launcher):
            processes.kill(process)

    def unmount(self) -> None:
        """Takes the small disk away."""
        if self.small_disk:
            _ran(["umount", "-l", str(self.home / "deliveries")])


def _ran(command: list[str]) -> bool:
    return subprocess.run(command, capture_output=True, check=False).returncode == 0


def _frame_file(seed: int) -> bytes:
    """A small raw file, each of its own content."""
    from zincplate.demo.camera import CameraModel, Settings, expose, metered
    from zincplate.demo.dng import dng_bytes
    from zincplate.demo.lens import ideal
    from zincplate.demo.scenes import drawn_field

    camera, scene, lens = CameraModel("Pennick", "Pennick Test 1", 720, 480), drawn_field(720, 480), ideal()
    settings = metered(scene, Settings(1 / 125, 8, 200, seed=seed), 0.3)
    return dng_bytes(camera, lens, settings, expose(scene, camera, lens, settings), f"2026-05-12T07:{seed % 60:02d}:09.000")


class Drill:
    """One drill. ``seed`` decides who is killed when and what is edited; scheduling does the rest."""

    def __init__(self, home: Path, port: int, seed: int, pause_s: tuple[float, float] = (1.5, 5.0)) -> None:
        self.installation = Installation(home, port)
        self.server = Server(f"http://127.0.0.1:{port}")
        self.rng = random.Random(seed)
        self.report = Report()
        self._pause_s = pause_s
        self._stop = threading.Event()
        self._versions: list[int] = []
        self._shoot = 0
        self._delivered: list[str] = []
        self.tabs = [
            Tab(self.server, "tone", "exposure_ev", random.Random(seed + 1)),
            Tab(self.server, "definition", "clarity", random.Random(seed + 2)),
        ]

    def run(self, seconds: float, tell: Callable[[str], None] = lambda _: None) -> Report:
        """The whole of it; raises nothing but what would be a fault of the drill itself."""
        home = self.installation.home
        home.mkdir(parents=True, exist_ok=True)
        home.chmod(0o711)
        self.installation.mount()
        self.installation.start()
        started = time.monotonic()
        try:
            self._bring_in()
            tell(f"{len(self._versions)} frames are in; the killing begins")
            users = [threading.Thread(target=self._guarded, args=(work,), daemon=True) for work in self._users()]
            for user in users:
                user.start()
            self._trouble(time.monotonic() + seconds, tell)
            self._stop.set()
            patience = time.monotonic() + 240
            while any(user.is_alive() for user in users) and time.monotonic() < patience:
                self.installation.mend()
                time.sleep(0.2)
            if any(user.is_alive() for user in users):
                self.report.faults.append("A user of the drill hangs.")
            self._settle()
            self._count()
        except GaveUp as error:
            self.report.faults.append(str(error))
        finally:
            self._stop.set()
            self.report.seconds = time.monotonic() - started
            self.installation.stop()
            self._leftovers()
            self.installation.unmount()
        return self.report

    def _guarded(self, work: Callable[[], None]) -> None:
        try:
            while not self._stop.is_set():
                work()
        except GaveUp as error:
            self.report.faults.append(str(error))

    def _users(self) -> list[Callable[[], None]]:
        def edit(tab: Tab) -> Callable[[], None]:
            def once() -> None:
                tab.edit(tab.rng.choice(self._versions))
                time.sleep(0.02)

            return once

        return [*(edit(tab) for tab in self.tabs), self._deliver]

    def _bring_in(self) -> None:
        batch = f"drill-{secrets.token_hex(6)}"
        for number in range(FRAMES):
            self.server.surely("PUT", f"/api/uploads/{batch}/TW-{number + 1:04d}.dng", _frame_file(number))
        body = {"name": "Drill", "source": "uploads", "batch": batch, "request_key": batch}
        _, started = self.server.surely("POST", "/api/bring-in", body)
        self._shoot = started["shoot"]
        end = time.monotonic() + 120
        while time.monotonic() < end:
            _, answer = self.server.surely("GET", f"/api/shoots/{self._shoot}/frames")
            self._versions = list(answer["columns"]["version"])
            if len(self._versions) == FRAMES:
                return
            time.sleep(0.3)
        raise GaveUp(f"{len(self._versions)} of {FRAMES} frames came in.")

    def _deliver(self) -> None:
        key = f"drill-{secrets.token_hex(6)}"
        rng = random.Random(key)
        presets = [{"name": "Drill", "file_format": rng.choice(list(FORMATS)), "long_edge": 400}]
        body = {"versions": [rng.choice(self._versions)], "presets": presets, "request_key": key}
        status, job = self.server.surely("POST", "/api/deliveries", body)
        if status != 202:
            self.report.faults.append(f"A delivery was answered with {status}: {str(job)[:200]}")
            return
        end = time.monotonic() + 150
        while time.monotonic() < end:
            _, answer = self.server.surely("GET", "/api/jobs")
            found = next((j for j in answer["jobs"] if j["id"] == job["id"]), None)
            if found is None or found["state"] == "done":
                self.report.delivered += 1
                return
            if found["state"] == "failed":
                self.report.refused_deliveries += 1
                return
            time.sleep(0.2)
        self.report.faults.append(f"A delivery did not end: {str(found)[:300]}")

    def _trouble(self, end: float, tell: Callable[[str], None]) -> None:
        """Kills and other mishaps, one after the other."""
        bag: list[str] = []
        while time.monotonic() < end:
            time.sleep(self.rng.uniform(*self._pause_s))
            if not bag:  # everything comes about equally often
                bag = [*processes.KINDS, "web", "worker", "originals", "disk"]
                self.rng.shuffle(bag)
            what = bag.pop()
            if what == "originals":
                self._away()
            elif what == "disk":
                self._fill()
            else:
                running = [p for p in processes.of_home(self.installation.home, self.installation.launcher) if p.kind == what]
                if running and processes.kill(self.rng.choice(running)):
                    self.report.kills[what] += 1
                    tell(f"killed: {what}")
                if what == "launcher":
                    time.sleep(self.rng.uniform(0.0, 2.0))
            self.installation.mend()

    def _away(self) -> None:
        """Originals unplugged for a moment."""
        originals = self.installation.home / "originals"
        elsewhere = originals.with_name("unplugged")
        if originals.is_dir():
            originals.rename(elsewhere)
            time.sleep(self.rng.uniform(0.5, 2.0))
            if originals.is_dir():  # somebody made it anew meanwhile
                shutil.rmtree(originals)
            elsewhere.rename(originals)
            self.report.moved_away += 1

    def _fill(self) -> None:
        """The small disk full for a moment."""
        if not self.installation.small_disk:
            return
        filler = self.installation.home / "deliveries" / ".filler"
        try:
            with open(filler, "wb") as file:
                while True:
                    file.write(bytes(1 << 20))
                    file.flush()
        except OSError:
            self.report.disk_full += 1
        time.sleep(self.rng.uniform(0.5, 2.0))
        filler.unlink(missing_ok=True)

    def _settle(self) -> None:
        """Until everything runs again, no job waits, and the readable copies have caught up."""
        end = time.monotonic() + 120
        while time.monotonic() < end:
            self.installation.mend()
            status, answer = self.server.ask("GET", "/api/jobs")
            if status == 200 and all(j["state"] not in ("queued", "running") for j in answer["jobs"]):
                break
            time.sleep(0.3)
        else:
            self.report.faults.append("Jobs still run or wait two minutes after the last kill.")
        time.sleep(12)

    def _count(self) -> None:
        for tab in self.tabs:
            self.report.acknowledged += tab.acknowledged
            self.report.faults += [f"An edit was refused: {words}" for words in tab.refused]
            for version, value in tab.last.items():
                _, state = self.server.surely("GET", f"/api/versions/{version}")
                held = state["recipe"][tab.step][tab.control]
                if held != value:
                    self.report.lost += 1
                    self.report.faults.append(f"Version {version} holds {tab.control} {held}; {value} was acknowledged last.")
        self.report.errors_500, self.report.busy_503 = self.server.errors_500, self.server.busy_503
        self.report.longest_silence_s = self.server.longest_silence_s
        if self.report.errors_500:
            self.report.faults.append(f"{self.report.errors_500} answers were 500.")
        environment = {**os.environ, "ZINCPLATE_HOME": str(self.installation.home)}
        command = [sys.executable, "-W", "ignore", "-m", "zincplate.cli.main", "verify", "--json"]
        checked = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
        try:
            found: dict[str, Any] = json.loads(checked.stdout)
            self.report.faults += [f"verify: {problem}" for problem in found["problems"]]
        except ValueError:
            self.report.faults.append(f"verify fell over: {checked.stderr[-300:]}")

    def _leftovers(self) -> None:
        home = self.installation.home
        time.sleep(0.5)
        left = [
            p for p in SHARED.glob(f"{SEGMENT}*") if not Path(f"/proc/{p.name.removeprefix(SEGMENT).partition('-')[0]}").exists()
        ]
        self.report.segments_left = len(left)
        if left:
            self.report.faults.append(f"{len(left)} segments of shared memory were left.")
        for segment in left:
            segment.unlink(missing_ok=True)
        half = [p for folder in ("originals", "deliveries", "recipes") for p in (home / folder).rglob("*.part")]
        self.report.half_files = len(half)
        if half:
            self.report.faults.append(f"{len(half)} half files were left: {', '.join(p.name for p in half[:3])}")


def drill(minutes: float, seed: int, port: int, tell: Callable[[str], None]) -> Report:
    """A drill in a home of its own, which is thrown away when nothing was wrong."""
    home = Path(tempfile.mkdtemp(prefix="zd"))
    report = Drill(home, port, seed).run(minutes * 60, tell)
    if report.faults:
        tell(f"what is left stands in {home}")
    else:
        shutil.rmtree(home, ignore_errors=True)
    return report
