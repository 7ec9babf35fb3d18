"""Bodies, paths and answers of the API; the page's TypeScript types are generated from them."""

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, Field

from zincplate.api.base_models import ErrorOut as ErrorOut
from zincplate.api.base_models import Id as Id
from zincplate.api.base_models import In as In
from zincplate.api.base_models import RecipeDocument as RecipeDocument
from zincplate.api.base_models import RequestKey as RequestKey
from zincplate.api.frame_models import CoverChangeOut as CoverChangeOut
from zincplate.api.frame_models import FactsOut as FactsOut
from zincplate.api.frame_models import FramesOut as FramesOut
from zincplate.api.view_models import ViewIn as ViewIn
from zincplate.api.work_models import DeliveredOut as DeliveredOut
from zincplate.api.work_models import DeliverIn as DeliverIn
from zincplate.api.work_models import JobOut as JobOut
from zincplate.api.work_models import JobPath as JobPath
from zincplate.api.work_models import JobsOut as JobsOut
from zincplate.api.work_models import LedgerOut as LedgerOut
from zincplate.api.work_models import LedgerQuery as LedgerQuery
from zincplate.api.work_models import PlanIn as PlanIn
from zincplate.api.work_models import PlanOut as PlanOut
from zincplate.api.work_models import PlanRow as PlanRow
from zincplate.api.work_models import PresetsOut as PresetsOut
from zincplate.formats.lens_profiles import LensProfile
from zincplate.services.describing import Before, Description
from zincplate.services.framing import Action
from zincplate.services.labels import MOST, Label


class CoverOut(BaseModel):
    version: int
    thumb: str


class ShootOut(BaseModel):
    id: int
    name: str
    created_at: str
    frames: int
    kept: int
    adjusted: int
    delivered: int
    refused: int
    size_bytes: int
    first_at: str
    last_at: str
    covers: list[CoverOut]


class CardOut(BaseModel):
    """A memory card in the reader, if any."""

    present: bool
    name: str = ""
    files: int = 0


class ShootsOut(BaseModel):
    shoots: list[ShootOut]
    card: CardOut


class FindQuery(In):
    text: str = Field(max_length=200)


class FoundOut(BaseModel):
    frames: list[int]


class BringInIn(In):
    """A folder on the machine, the memory card, or dropped files; into a shoot, or into a new one of this name."""

    shoot: int | None = None
    name: str = Field(default="", max_length=120)
    source: Literal["folder", "card", "uploads"]
    folder: str = Field(default="", max_length=4000)
    reference: bool = False
    batch: str = Field(default="", max_length=40, pattern=r"^[A-Za-z0-9-]*$")
    preset: str = Field(default="", max_length=200)
    watch: bool = False
    """Go on watching the folder for new files."""
    keep_folders: bool = False
    """Subfolders become folders of the shoot."""
    request_key: RequestKey = ""


class BringInOut(BaseModel):
    """Where the frames come, and the job that brings them."""

    shoot: int
    job: "JobOut"


class UploadPath(BaseModel):
    batch: str = Field(min_length=8, max_length=40, pattern=r"^[A-Za-z0-9-]+$")
    name: str = Field(min_length=1, max_length=200)


class UploadOut(BaseModel):
    name: str
    size_bytes: int


class SinceQuery(In):
    """Time stamp of an earlier answer: what has not changed since is left out."""

    since: datetime | None = None


class FramesIn(In):
    frames: list[int] = Field(min_length=1, max_length=20_000)


class DescriptionOut(BaseModel):
    """What all have, null where they differ."""

    title: str | None
    caption: str | None
    artist: str | None
    copyright: str | None
    place: str | None
    city: str | None
    region: str | None
    country: str | None
    keywords: list[str]
    keywords_of_some: list[str]


class DescribeIn(FramesIn):
    description: Description


class DescribedOut(BaseModel):
    before: list[Before]


class DescribedIn(In):
    before: list[Before] = Field(min_length=1, max_length=20_000)


class SetIn(FramesIn):
    kind: str = Field(max_length=12)
    name: str = Field(default="", max_length=80)


class SetChangeIn(In):
    kind: str | None = Field(default=None, max_length=12)
    name: str | None = Field(default=None, max_length=80)


class SetsIn(In):
    sets: list[int] = Field(min_length=1, max_length=5_000)


class WatchOut(BaseModel):
    folder: str


class SetMadeOut(BaseModel):
    set: int


class MarksIn(In):
    frames: list[int] = Field(min_length=1, max_length=20_000)
    mark: Literal["", "keep", "maybe", "drop"] | None = None
    stars: int | None = Field(default=None, ge=0, le=5)
    label: str | None = Field(default=None, max_length=40)


class LabelsIn(In):
    labels: list[Label] = Field(max_length=MOST)


class LabelsOut(BaseModel):
    labels: list[Label]


class CountOut(BaseModel):
    frames: int


class PatchOut(BaseModel):
    """Controls (step -> control -> value) and switches (step -> on)."""

    values: dict[str, dict[str, Any]]
    switches: dict[str, bool]


class HistoryOut(BaseModel):
    position: int
    words: str
    at: str
    gesture: str
    forth: PatchOut | None
    """What the entry put, and what stood there before; null far from the current one."""
    back: PatchOut | None
    bulk: int | None
    """The step over many frames that it is part of."""


class StateOut(BaseModel):
    id: int
    name: str
    at: str


class VersionOut(BaseModel):
    id: int
    frame: int
    number: int
    name: str
    revision: int
    position: int
    adjusted: bool
    recipe: RecipeDocument
    history: list[HistoryOut]
    """All entries by position, or in the answer to a change those about the current one, where only they were asked for."""
    entries: int
    """How many entries the history has."""
    states: list[StateOut]
    thumb: str
    last_change: str
    """Id of the newest change, as its page gave it."""
    notes: list[str]
    """What went wrong with the change that this answers."""
    remarks: list[str]
    """What of the recipe does not show, or not as it did where it was written."""


class PixelIn(In):
    """A place of the finished picture in its full-size pixels."""

    recipe: RecipeDocument
    x: int
    y: int
    radius: int = Field(default=1, ge=0, le=50)


class DepthOut(BaseModel):
    """Whether tones are missing in the data about a place, and their usual distance in levels of 255."""

    verdict: Literal["full", "missing", "flat"]
    step: float


class PixelOut(BaseModel):
    x: int
    y: int
    rgb: list[float]
    lab: list[float]
    camera: list[float]
    clipped: float
    depth: DepthOut


class FramingIn(In):
    recipe: RecipeDocument
    action: Action


class FramingOut(BaseModel):
    """Step -> control -> value, and a sentence where there is something to say."""

    values: dict[str, dict[str, Any]]
    note: str


class LensOut(BaseModel):
    """What fits a file: certain by its name, else others to choose from."""

    camera: str
    lens: str
    certain: LensProfile | None
    others: list[LensProfile]
    refused: list[str]


class LensQuery(BaseModel):
    text: str = Field(default="", max_length=80)


class LensesOut(BaseModel):
    lenses: list[LensProfile]


class SuggestIn(In):
    recipe: RecipeDocument
    of: Literal["framing", "balance", "tone", "whole", "black_point", "white_point"]


class ProposalOut(BaseModel):
    """Values by step and control, and a sentence for each."""

    name: str
    summary: str
    values: dict[str, dict[str, Any]]
    reasons: dict[str, str]


class ProposalsOut(BaseModel):
    proposals: list[ProposalOut]


class KeyOut(BaseModel):
    """Oklab centre of a picked key."""

    centre_lightness: float
    centre_a: float
    centre_b: float


class NeutralOut(BaseModel):
    temperature_kelvin: float
    tint: float
    clipped: float


class SchemaOut(BaseModel):
    """The recipe's JSON schema, with words, ranges and units for the panel."""

    recipe: dict[str, Any]
    steps: dict[str, list[str]]
    neutral: dict[str, RecipeDocument]
