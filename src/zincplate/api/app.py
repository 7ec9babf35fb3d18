"""The Flask application: security headers, error sentences, the page, and the API."""

import errno
import os
import re
import secrets
from pathlib import Path
from typing import Any

from flask import Flask, Response, jsonify, request, send_from_directory
from flask_openapi3 import Info, OpenAPI
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from zincplate import __version__
from zincplate.api import areas, arranging, bench, carrying, deliveries, find, jobs, mending, merging, shoots
from zincplate.api.models import ErrorOut
from zincplate.api.pieces import Pieces
from zincplate.formats.errors import FileError
from zincplate.formats.turns import Superseded
from zincplate.recipe.document import RecipeError
from zincplate.services.changes import Stale
from zincplate.services.context import Context, NotFound, UserError
from zincplate.store.database import BUSY, NO_ROOM, UNAVAILABLE, begin_request, end_request, without_room

CONTENT_POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)
MAX_BODY = 1 << 30
AGAIN = {"Retry-After": "2"}


def _invalid(error: ValidationError) -> Response:
    fields = {".".join(map(str, e["loc"])): e["msg"] for e in error.errors()}
    first = next(iter(fields.items()), ("request", "is not valid"))
    answer = jsonify(ErrorOut(error=f"{first[0]}: {first[1]}.", fields=fields).model_dump())
    answer.status_code = 422
    return answer


def create_app(context: Context, page: Path | None = None) -> Flask:
    """The application; ``page`` is the folder of the built page."""
    app = OpenAPI(
        "zincplate",
        info=Info(title="Zincplate", version=__version__),
        static_folder=None,
        doc_ui=False,
        validation_error_callback=_invalid,
        validation_error_model=ErrorOut,
    )
    app.config.update(MAX_CONTENT_LENGTH=MAX_BODY, TRUSTED_HOSTS=["127.0.0.1", "localhost", "[::1]"], CONTEXT=context)
    app.json = Pieces(app)
    app.json.sort_keys = False  # recipes keep the order of their controls
    app.secret_key = secrets.token_bytes(32)
    _guard(app)
    _errors(app)
    for blueprint in (
        shoots.api,
        arranging.api,
        bench.api,
        areas.api,
        mending.api,
        carrying.api,
        merging.api,
        find.api,
        deliveries.api,
        jobs.api,
    ):
        app.register_api(blueprint)
    if page is not None:
        _serve_page(app, page)
    return app


def _guard(app: Flask) -> None:
    @app.before_request
    def refuse_foreign() -> Any:
        if request.method in ("GET", "HEAD", "OPTIONS"):
            return None
        site, origin = request.headers.get("Sec-Fetch-Site"), request.headers.get("Origin")
        own = request.host_url.rstrip("/")
        if site not in (None, "same-origin") or (origin and origin != own) or request.headers.get("X-Zincplate") != "1":
            return {"error": "This request comes from another site and was refused."}, 403
        return None

    @app.before_request
    def open_database() -> None:
        if request.path.startswith("/api/") and request.path != "/api/events":
            begin_request(at_once=not request.path.endswith(("/thumb", "/view", "/pixel")))

    @app.teardown_request
    def close_database(_error: BaseException | None) -> None:
        end_request()

    @app.after_request
    def headers(answer: Response) -> Response:
        answer.headers.setdefault("Content-Security-Policy", CONTENT_POLICY)
        answer.headers["X-Content-Type-Options"] = "nosniff"
        answer.headers["Referrer-Policy"] = "same-origin"
        answer.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        answer.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        answer.headers.setdefault("Cache-Control", "no-store" if request.path.startswith("/api/") else "no-cache")
        return answer


def _errors(app: Flask) -> None:
    @app.errorhandler(Stale)
    def stale(error: Stale) -> Any:
        return ErrorOut(error=str(error), current=error.current).model_dump(), 409

    @app.errorhandler(NotFound)
    def missing(error: NotFound) -> Any:
        return {"error": str(error)}, 404

    @app.errorhandler(UserError)
    @app.errorhandler(FileError)
    @app.errorhandler(RecipeError)
    def refused(error: Exception) -> Any:
        return {"error": str(error)}, 422

    @app.errorhandler(Superseded)
    def unwanted(_error: Superseded) -> Any:
        return "", 204  # whoever asked has asked for something newer

    def unavailable(error: Exception) -> Any:
        if without_room(error):
            return {"error": NO_ROOM}, 507, AGAIN
        sentence = "The database does not answer at the moment. It is being started again; nothing saved is lost."
        return {"error": sentence}, 503, AGAIN

    for kind in UNAVAILABLE:
        app.register_error_handler(kind, unavailable)

    def busy(_error: Exception) -> Any:
        return {"error": "There is more to do at the moment than can be done at once. Try again in a moment."}, 503, AGAIN

    for full in BUSY:
        app.register_error_handler(full, busy)

    @app.errorhandler(RecursionError)
    def too_deep(_error: RecursionError) -> Any:
        return {"error": "What was sent is nested too deeply."}, 422

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Any:
        words = {404: "There is nothing at this address.", 413: "The file is larger than 1 GB and cannot be sent."}
        return {"error": words.get(error.code or 500, error.name + ".")}, error.code or 500

    @app.errorhandler(OSError)
    def disk(error: OSError) -> Any:
        if error.errno in (errno.ENAMETOOLONG, errno.ELOOP, errno.EINVAL):
            return {"error": f"That name cannot be used: {os.strerror(error.errno)}."}, 422
        app.logger.exception("disk")
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            return {"error": NO_ROOM}, 507, AGAIN
        return {"error": f"The disk refused: {os.strerror(error.errno or 0)}."}, 507


def _serve_page(app: Any, page: Path) -> None:
    @app.route("/assets/<path:name>")
    def assets(name: str) -> Response:
        return send_from_directory(page / "assets", name, max_age=31_536_000)

    @app.route("/")
    @app.route("/<path:place>")
    def index(place: str = "") -> Any:
        if place.startswith("api/"):
            return {"error": "There is nothing at this address."}, 404
        if place == "icon.svg":
            return send_from_directory(page, "icon.svg")
        answer = send_from_directory(page, "index.html", max_age=0)
        if shoot := re.match(r"shoots/(\d+)(/|$)", place):
            # the browser asks for the list while it still loads the page's script (HTML, link type "preload")
            answer.headers["Link"] = f"</api/shoots/{shoot[1]}/frames>; rel=preload; as=fetch; crossorigin"
        return answer
