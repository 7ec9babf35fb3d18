"""Fills the demo: the camera takes its frames onto the card, and the first shoot is brought in from it as they come."""

import shutil
import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from zincplate.cli.children import die_with_parent
from zincplate.store.database import database
from zincplate.store.home import Home
from zincplate.store.models import Shoot

if TYPE_CHECKING:
    from zincplate.services.context import Context

SHOOT_NAME = "Harrow Lane Tileworks, first light"
_MARKER = ".demo-filled"
_BATCHES = (3, 6, 10, 24, 40, 56, 72, 82, 87)
"""After how many files the next ones are brought in, so that the page has something to show early."""


LENSES = Path(__file__).parent.parent / "demo" / "simulated_lenses.xml"
"""Profiles of the simulated lenses in lensfun's open form, loaded beside its own data."""


def take(home: Home) -> "subprocess.Popen[str] | None":
    """Starts the camera in a process of its own, unless the demo has been filled before."""
    home.lenses.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(LENSES, home.lenses / LENSES.name)
    if (home.root / _MARKER).exists():
        return None
    command = [sys.executable, "-W", "ignore", "-m", "zincplate.cli.main", "card", str(home.card)]
    return subprocess.Popen(command, stdout=subprocess.PIPE, text=True, preexec_fn=die_with_parent)


def fill(context: "Context", camera: "subprocess.Popen[str]") -> None:
    """Brings in what the camera writes; what the user does to the shoot later is left alone."""
    # the engine takes a second to load: not before the page stands
    from zincplate.demo.card import ALL_NAMES
    from zincplate.services import bring_in, shoots, work

    try:
        with database.connection_context():
            shoot = Shoot.get_or_none(Shoot.name == SHOOT_NAME) or shoots.create(SHOOT_NAME)
            row, owner = work.outside("camera", f"Camera: {len(ALL_NAMES)} frames", shoot_id=shoot.id, files=len(ALL_NAMES))
        ready = []
        for count, line in enumerate(camera.stdout or (), 1):
            ready.append(context.home.card / "DCIM" / line.strip())
            with database.connection_context():
                work.renew(row.id, owner, work.OUTSIDE_LEASE_S)
                wanted = work.report(row.id, owner, count / len(ALL_NAMES), f"{line.strip()}, {count} of {len(ALL_NAMES)}")
                if not wanted:  # cancelled on the page: the next start goes on
                    camera.terminate()
                    work.finish(row.id, owner, "cancelled")
                    return
            if count in _BATCHES or count == len(ALL_NAMES):
                with database.connection_context():
                    # the camera has the machine to itself until its last frame; then ours replace its small pictures
                    bring_in.start(context, shoot, ready, develop_small=count == len(ALL_NAMES))
                ready = []
        with database.connection_context():
            work.finish(row.id, owner, "failed" if camera.wait() else "done")
        if camera.wait():
            raise RuntimeError(f"the simulated camera ended with code {camera.returncode}")
        (context.home.root / _MARKER).touch()
    except Exception as error:  # a thread of its own: say it, the rest goes on
        print(f"zincplate: the demo data could not be completed: {error}", file=sys.stderr, flush=True)
