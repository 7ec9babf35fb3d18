"""What the API tells of frames and their files."""

from typing import Any, Literal

from pydantic import BaseModel


class FactOut(BaseModel):
    name: str
    text: str


class FactGroupOut(BaseModel):
    title: str
    facts: list[FactOut]


class FactsOut(BaseModel):
    groups: list[FactGroupOut]
    notes: list[str]


class RefusalOut(BaseModel):
    name: str
    reason: str
    created_at: str


class FrameColumns(BaseModel):
    """Frames of a shoot, one list for each fact, all of one length: ten thousand rows without ten thousand sets of names."""

    id: list[int]
    name: list[str]
    folder: list[str]
    """Folder of the shoot; empty is none."""
    hand_place: list[float | None]
    """Where it stands in the order by hand; null is behind those that have a place."""
    content_hash: list[str]
    size_bytes: list[int]
    raw: list[bool]
    mark: list[Literal["", "keep", "maybe", "drop"]]
    stars: list[int]
    label: list[str]
    thumb_state: list[Literal["none", "embedded", "own", "failed"]]
    camera: list[str]
    lens: list[str]
    file_type: list[str]
    bits: list[int]
    colour_space: list[str]
    width: list[int]
    height: list[int]
    exposure_time_s: list[float]
    f_number: list[float]
    iso: list[int]
    focal_length_mm: list[float]
    own_lens: list[bool]
    """Whether the file itself describes its lens."""
    depth_map: list[bool]
    """Whether the file holds one beside the picture."""
    captured_at: list[str]
    changed_at: list[str]
    made: list[Literal["", "bracket", "panorama", "focus", "series"]]
    """The merge that made it; empty for a frame that was taken."""
    version: list[int]
    """The cover: the version that stands for the frame."""
    versions: list[int]
    """How many it has."""
    adjusted: list[bool]
    passes: list[bool]
    repairs: list[bool]
    """Whether any of them is."""
    delivered: list[int]
    set: list[int]
    """The set it belongs to; 0 is none."""
    thumb: list[str]
    """Stands in the address of the cover's small picture."""


class SetOut(BaseModel):
    """Frames that were taken to be one picture."""

    id: int
    kind: Literal["bracket", "sweep", "focus", "burst", "sky", "other"]
    name: str
    state: Literal["proposed", "kept"]
    words: str


class FramesOut(BaseModel):
    """All frames, or those that changed since ``since``; ``stamp`` is what to ask with the next time."""

    id: int
    name: str
    stamp: str
    columns: FrameColumns
    removed: list[int]
    sets: list[SetOut]
    watched: str
    """Folder whose new files come in by themselves; empty when none is watched."""
    refusals: list[RefusalOut]


class VersionRowOut(BaseModel):
    id: int
    frame: int
    number: int
    name: str
    revision: int
    adjusted: bool
    cover: bool
    thumb: str
    words: list[str]
    """What makes it different from how the frame came in."""


class VersionOfOut(BaseModel):
    id: int
    frame: int
    frame_name: str
    number: int
    name: str
    cover: bool
    thumb: str


class VersionsOfOut(BaseModel):
    versions: list[VersionOfOut]


class VersionsOut(BaseModel):
    versions: list[VersionRowOut]


class CoverChangeOut(BaseModel):
    cover: int


class SideRowOut(BaseModel):
    frame: int
    sharpness: int | None
    """Percent of the sharpest."""
    exposure_ev: float | None
    """Lighter than the first; null shows another subject."""
    reason: str


class SideOut(BaseModel):
    frames: list[SideRowOut]


class WordsOut(BaseModel):
    words: list[str]


class AdjustmentOut(BaseModel):
    """One operation of a version: for choosing what to carry or keep."""

    id: str
    step: str
    label: str
    touched: bool
    words: list[str]


class AdjustmentsOut(BaseModel):
    adjustments: list[AdjustmentOut]


class CarryRefusedOut(BaseModel):
    version: int
    frame: str
    reason: str


class CarriedOut(BaseModel):
    bulk: int | None
    """What to take it back by; null when nothing changed."""
    words: str
    changed: list[int]
    unchanged: list[int]
    refused: list[CarryRefusedOut]


class MovedOut(BaseModel):
    """What undoing or redoing a step over many frames did; ``left`` names frames that were changed since."""

    bulk: int
    words: str
    changed: list[int]
    left: list[str]


class BulkOut(BaseModel):
    bulk: int
    kind: str
    words: str
    frames: int
    undone: bool
    at: str


class BulksOut(BaseModel):
    steps: list[BulkOut]


class RecipePresetOut(BaseModel):
    id: str
    name: str
    folder: str
    note: str
    own: bool
    operations: list[str]
    words: list[str]


class RecipePresetsOut(BaseModel):
    presets: list[RecipePresetOut]
    refused: list[str]


class PresetValuesOut(BaseModel):
    values: dict[str, dict[str, Any]]
    words: list[str]


class PresetTextOut(BaseModel):
    text: str
