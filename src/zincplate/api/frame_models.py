"""What the API tells of one frame and its file."""

from typing import Literal

from pydantic import BaseModel


class CaptureOut(BaseModel):
    file_type: str
    width: int
    height: int
    bits: int
    channels: int
    raw: bool
    orientation: int
    colour_space: str
    camera_make: str
    camera_model: str
    lens: str
    exposure_time_s: float
    f_number: float
    iso: int
    focal_length_mm: float
    captured_at: str
    own_lens: str
    """Not empty where the file itself describes its lens."""


class FactOut(BaseModel):
    name: str
    text: str


class FactGroupOut(BaseModel):
    title: str
    facts: list[FactOut]


class FactsOut(BaseModel):
    groups: list[FactGroupOut]
    notes: list[str]


class FrameOut(BaseModel):
    id: int
    shoot: int
    name: str
    content_hash: str
    size_bytes: int
    capture: CaptureOut
    raw: bool
    mark: Literal["", "keep", "maybe", "drop"]
    stars: int
    label: str
    thumb_state: Literal["none", "embedded", "own", "failed"]
    version: int
    thumb: str
    """Stands in the address of its small picture."""
    adjusted: bool
    delivered: int
