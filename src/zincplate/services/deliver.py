"""Deliveries: presets, names, the job, and the ledger."""

import hashlib
import re
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from zincplate.formats.encode import FORMATS, unwritten
from zincplate.formats.files import LONGEST_NAME_BYTES, write_file
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.develop import Delivery, develop
from zincplate.services import work
from zincplate.services.context import Context, NotFound, Progress, UserError
from zincplate.services.describing import delivered as described
from zincplate.services.framing import size_of
from zincplate.services.job_kinds import Arguments, JobKind
from zincplate.services.originals import hash_of, original_path
from zincplate.services.versions import get as get_version
from zincplate.store.models import Delivered, Frame, HistoryEntry, Job, Shoot, Version, now


class Preset(BaseModel):
    """A way to deliver. ``suffix`` is put behind the frame's name."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(max_length=60)
    suffix: str = Field(default="", max_length=30, pattern=r"^[A-Za-z0-9_-]*$")
    file_format: str = "jpeg"
    space: str = "srgb"
    bits: int = 8
    long_edge: int | None = None
    quality: int = 92
    location: bool = True
    """Whether the file tells where the picture was taken."""

    def delivery(self) -> Delivery:
        """The engine's form, checked; raises :class:`UserError`."""
        try:
            return Delivery(
                self.file_format,
                self.space,
                self.bits,
                self.long_edge,
                self.quality,
                self.location,
            ).checked()
        except RecipeError as error:
            raise UserError(str(error)) from error


PRESETS = (
    Preset(name="JPEG for the web", suffix="-web", long_edge=2048, quality=86),
    Preset(name="JPEG, full size", quality=95),
    Preset(name="TIFF, 16 bit", file_format="tiff", bits=16),
)


def file_name(frame: Frame, version: Version, preset: Preset) -> str:
    """Name of a delivered file before it is made free: no longer than names may be with a number behind, and one line."""
    number = f"-v{version.number}" if version.number > 1 else ""
    ending = f"{number}{preset.suffix}{FORMATS[preset.file_format].endings[0]}"
    stem = re.sub(r"[\x00-\x1f\x7f\u2028\u2029]", "_", Path(frame.name).stem)
    return stem.encode()[: LONGEST_NAME_BYTES - 8 - len(ending.encode())].decode("utf-8", "ignore") + ending


def plan(context: Context, version_ids: list[int], presets: list[Preset]) -> list[dict[str, Any]]:
    """What would be written: names and sizes, in order."""
    rows = []
    for version_id in version_ids:
        version = get_version(version_id)
        frame = version.frame
        width, height = size_of(context, frame, version.recipe)
        for preset in presets:
            preset.delivery()
            scale = min((preset.long_edge or 10**9) / max(width, height), 1.0)
            rows.append(
                {
                    "version": version.id,
                    "frame": frame.name,
                    "preset": preset.name,
                    "file": file_name(frame, version, preset),
                    "width": max(round(width * scale), 1),
                    "height": max(round(height * scale), 1),
                }
            )
    return rows


def start(context: Context, version_ids: list[int], presets: list[Preset], request_key: str = "") -> Job:
    """Submits a delivery of some versions in some presets; the same request again gives the job that it had started."""
    if (known := work.of_request(request_key)) is not None:
        return known
    if not version_ids or not presets:
        raise UserError("Choose at least one frame and one preset to deliver.")
    rows = plan(context, version_ids, presets)
    title = f"Deliver {len(rows)} file{'s' if len(rows) != 1 else ''}"
    return KIND.submit(context, title, Deliver(version_ids=tuple(version_ids), presets=tuple(presets)), request_key)


class Deliver(Arguments):
    """Every version in every preset."""

    version_ids: tuple[int, ...]
    presets: tuple[Preset, ...]


def _run(context: Context, job: Progress, arguments: Deliver) -> dict[str, Any]:
    """Job: renders and writes every file; what an earlier attempt finished is not made again."""
    total = len(arguments.version_ids) * len(arguments.presets)
    files: list[dict[str, Any]] = []
    for done, (version_id, preset) in enumerate((v, p) for v in arguments.version_ids for p in arguments.presets):
        finished = _of_this_job(job.id, version_id, preset)
        if finished is None:
            finished = _one(context, job, version_id, preset, done / total, 1 / total)
        files.append({"id": finished.id, "file": Path(finished.path).name, "version": version_id})
    return {"files": files}


KIND = JobKind("deliver", Deliver, _run)


def _of_this_job(job_id: str, version_id: int, preset: Preset) -> Delivered | None:
    for row in Delivered.select().where(Delivered.job == job_id, Delivered.version == version_id):
        if row.preset == preset.model_dump():
            return row
    return None


def _one(context: Context, job: Progress, version_id: int, preset: Preset, before: float, share: float) -> Delivered:
    version = get_version(version_id)
    frame: Frame = version.frame
    shoot: Shoot = frame.shoot
    revision, document = version.revision, version.recipe
    delivery = preset.delivery()
    label = file_name(frame, version, preset)
    source = context.renderer.open(original_path(context.home, frame), frame.content_hash)

    def tell(part: float) -> bool:
        job.progress(before + share * 0.9 * part, label)
        return True

    told = described(frame, source.capture)
    # the same recipe gives the same bytes whenever it is delivered: what tells the time is the change, not the delivery
    last = HistoryEntry.get_or_none(HistoryEntry.version == version, HistoryEntry.position == version.position)
    changed_at = last.created_at.replace(microsecond=0).isoformat() if last is not None and version.adjusted else ""
    data, (width, height) = develop(context.renderer, source, Recipe.from_document(document), delivery, tell, changed_at, told)
    content_hash = hashlib.sha256(data).hexdigest()
    folder = context.home.deliveries / shoot.folder
    folder.mkdir(parents=True, exist_ok=True)
    job.progress(before + share * 0.95, label)
    path = _written(context, folder, label, data, content_hash)
    Frame.update(changed_at=now()).where(Frame.id == frame.id).execute()
    return Delivered.create(
        version=version,
        job=job.id,
        revision=revision,
        recipe=document,
        preset=preset.model_dump(),
        path=str(path.relative_to(context.home.deliveries)),
        content_hash=content_hash,
        size_bytes=len(data),
        width=width,
        height=height,
    )


def _written(context: Context, folder: Path, name: str, data: bytes, content_hash: str) -> Path:
    """The file under the first name that is free. One with the same content that no row of the ledger knows is taken over: an
    attempt was interrupted between the file and its row."""
    for number in range(1, 10_000):
        path = folder / (name if number == 1 else f"{Path(name).stem}-{number}{Path(name).suffix}")
        try:
            write_file(path, data, replace=False)
            return path
        except FileExistsError:
            known = Delivered.select().where(Delivered.path == str(path.relative_to(context.home.deliveries)))
            if path.stat().st_size == len(data) and hash_of(path) == content_hash and not known.exists():
                return path
        except OSError as error:
            raise unwritten(path, error, len(data)) from error
    raise UserError(f"{name}: Ten thousand files of this name are there already.")


def ledger(shoot_id: int | None = None, limit: int = 200) -> list[dict[str, Any]]:
    """Delivered files, newest first; stale when the version was changed since."""
    query = Delivered.select(Delivered, Version, Frame).join(Version).join(Frame).order_by(Delivered.id.desc()).limit(limit)
    if shoot_id is not None:
        query = query.where(Frame.shoot == shoot_id)
    return [
        {
            "id": d.id,
            "file": Path(d.path).name,
            "path": d.path,
            "frame": d.version.frame.name,
            "frame_id": d.version.frame_id,
            "version": d.version_id,
            "preset": d.preset["name"],
            "settings": d.preset,
            "width": d.width,
            "height": d.height,
            "size_bytes": d.size_bytes,
            "stale": d.recipe != d.version.recipe,
            "created_at": d.created_at.isoformat(),
        }
        for d in query
    ]


def delivered_path(context: Context, delivered_id: int) -> Path:
    """Where a delivered file stands; raises :class:`NotFound` when it is gone."""
    row = Delivered.get_or_none(Delivered.id == delivered_id)
    if row is None:
        raise NotFound("There is no such delivery.")
    path = (context.home.deliveries / row.path).resolve()
    if not path.is_relative_to(context.home.deliveries.resolve()) or not path.is_file():
        raise NotFound(f"{Path(row.path).name}: The delivered file is not in the deliveries folder any more.")
    return path
