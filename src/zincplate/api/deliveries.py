"""Presets, plans, deliveries and the ledger."""

from typing import Any

from flask import send_file
from flask_openapi3 import APIBlueprint

from zincplate.api import models as m
from zincplate.api.context import context
from zincplate.core.colour.colour_spaces import SPACES
from zincplate.services import deliver, work

api = APIBlueprint("deliveries", __name__, url_prefix="/api", abp_responses={422: m.ErrorOut})


@api.get("/presets", responses={200: m.PresetsOut})
def presets() -> Any:
    """Ways to deliver, and the colour spaces."""
    return {"presets": [p.model_dump() for p in deliver.PRESETS], "spaces": {k: s.name for k, s in SPACES.items()}}


@api.post("/deliveries/plan", responses={200: m.PlanOut})
def plan(body: m.PlanIn) -> Any:
    """Names and sizes of what would be written."""
    return {"files": deliver.plan(context(), body.versions, body.presets)}


@api.post("/deliveries", responses={202: m.JobOut})
def start(body: m.DeliverIn) -> Any:
    """Starts a delivery."""
    return work.as_dict(deliver.start(context(), body.versions, body.presets, body.request_key)), 202


@api.get("/deliveries", responses={200: m.LedgerOut})
def ledger(query: m.LedgerQuery) -> Any:
    """What was delivered, newest first."""
    return {"deliveries": deliver.ledger(query.shoot)}


@api.get("/deliveries/<int:id>/file")
def file(path: m.Id) -> Any:
    """A delivered file, to keep."""
    where = deliver.delivered_path(context(), path.id)
    return send_file(where, as_attachment=True, download_name=where.name, max_age=0)
