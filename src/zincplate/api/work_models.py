"""Deliveries and jobs, as the API tells of them."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from zincplate.api.base_models import In, RequestKey
from zincplate.services.deliver import Preset


class PlanIn(In):
    versions: list[int] = Field(min_length=1, max_length=5_000)
    presets: list[Preset] = Field(min_length=1, max_length=10)


class DeliverIn(PlanIn):
    request_key: RequestKey = ""


class PlanRow(BaseModel):
    version: int
    frame: str
    preset: str
    file: str
    width: int
    height: int


class PlanOut(BaseModel):
    files: list[PlanRow]


class PresetsOut(BaseModel):
    presets: list[Preset]
    spaces: dict[str, str]


class LedgerQuery(BaseModel):
    shoot: int | None = None


class DeliveredOut(BaseModel):
    id: int
    file: str
    path: str
    frame: str
    frame_id: int
    version: int
    preset: str
    settings: Preset
    width: int
    height: int
    size_bytes: int
    stale: bool
    created_at: str


class LedgerOut(BaseModel):
    deliveries: list[DeliveredOut]


class JobPath(BaseModel):
    id: str = Field(max_length=36)


class JobOut(BaseModel):
    id: str
    kind: str
    title: str
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    progress: float
    note: str
    result: Any = None
    shoot: int | None = None
    files: int = 0
    files_done: int = 0
    """Of ``files``, where the job is about files of a shoot."""
    created_at: str
    changed_at: str


class JobsOut(BaseModel):
    jobs: list[JobOut]
