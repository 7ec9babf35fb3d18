"""The web process: gunicorn loads ``zincplate.cli.wsgi:app``."""

import os
from pathlib import Path

from zincplate.api.app import create_app
from zincplate.jobs.worker import wake
from zincplate.services.context import Context
from zincplate.store.database import connect
from zincplate.store.home import Home

home = Home.from_environment().make()
connect(home)
app = create_app(Context(home, wake=wake), Path(os.environ.get("ZINCPLATE_PAGE", "web/dist")).resolve())
