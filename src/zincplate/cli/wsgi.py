"""The web process: gunicorn loads ``zincplate.cli.wsgi:app``."""

import os
import threading
from pathlib import Path

from zincplate.api.app import create_app
from zincplate.cli.warm import warm
from zincplate.jobs.worker import wake
from zincplate.services.context import Context
from zincplate.store.database import connect
from zincplate.store.home import Home

home = Home.from_environment().make()
connect(home)
context = Context(home, wake=wake)
app = create_app(context, Path(os.environ.get("ZINCPLATE_PAGE", "web/dist")).resolve())
# the first picture of the day should not wait for compiled kernels to be loaded and a decoder to start; the page comes first
_warming = threading.Timer(1.0, warm, args=(context.decoder,))
_warming.daemon = True
_warming.start()
