"""The use cases' context of the running application."""

from typing import cast

from flask import current_app

from zincplate.services.context import Context


def context() -> Context:
    """Set by :func:`zincplate.api.app.create_app`."""
    return cast(Context, current_app.config["CONTEXT"])
