"""Merges: frames of a set are judged, looked at and added up, and the master is a frame of the shoot beside them."""

import hashlib
import json
import re
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from pydantic import field_validator

from zincplate.formats.delivered.kind import SOFTWARE
from zincplate.formats.encode import unwritten
from zincplate.formats.files import write_file
from zincplate.formats.parked import MOST_IN_MEMORY, held
from zincplate.formats.preview import jpeg_from
from zincplate.formats.turns import Turn, Urgency
from zincplate.merges.errors import MergeError
from zincplate.merges.kept import Kept
from zincplate.merges.kinds import MergeOptions, look_at, merged, steps_of
from zincplate.merges.options import BracketOptions
from zincplate.merges.view import Opened
from zincplate.merges.view import opened as opened_together
from zincplate.recipe.preset import MASTERS, OWN
from zincplate.services import bring_in, changes, describing, pictures, sets
from zincplate.services.context import Context, NotFound, Progress, UserError
from zincplate.services.job_kinds import Arguments, JobKind
from zincplate.services.originals import hash_of, original_path
from zincplate.sources.file import Source
from zincplate.store.database import database
from zincplate.store.home import Home
from zincplate.store.models import Frame, FrameSet, Job, Version, now

LOOKS = ("plain", *(p.name for p in OWN if p.folder == MASTERS))
"""How a master is shown at first: plain, or one of the starts for masters."""
FORM = 5
"""Of kept previews: others are made again."""


SETS = {"bracket": "bracket", "panorama": "sweep", "focus": "focus", "series": "sky"}
"""The kind of set that a master makes of its sources."""
NAMED = {"bracket": "Bracket", "panorama": "Panorama", "focus": "Focus series", "series": "Series"}


class Merge(Arguments):
    """Frames of one shoot, in the order in which options count them."""

    shoot_id: int
    frames: tuple[int, ...]
    options: MergeOptions = BracketOptions()
    look: str = LOOKS[1]
    replaces: int | None = None
    """A master that is made again."""

    @field_validator("options", mode="before")
    @classmethod
    def _of_a_kind(cls, value: Any) -> Any:
        """Jobs that were started before there were kinds are brackets."""
        return of_kind("bracket", value)


def of_kind(kind: str, options: Any) -> Any:
    """Options as they were kept, with their kind."""
    return {"kind": kind, **options} if isinstance(options, dict) else options


def _frames(frame_ids: Sequence[int]) -> list[Frame]:
    found = {f.id: f for f in Frame.select().where(Frame.id.in_(list(frame_ids)), Frame.removed_at.is_null())}
    if len(found) != len(frame_ids) or not found:
        raise NotFound("One of these frames is not there any more.")
    frames = [found[i] for i in frame_ids]
    if len({f.shoot_id for f in frames}) != 1:
        raise UserError("Frames of one merge belong to one shoot.")
    return frames


def ask(context: Context, frame_ids: list[int], options: MergeOptions) -> Job:
    """Starts judging frames; the report and the preview's key stand in the job's result."""
    frames = _frames(frame_ids)
    arguments = Merge(shoot_id=frames[0].shoot_id, frames=tuple(frame_ids), options=options)
    return JUDGE.submit(context, f"Looking at {len(frames)} frames", arguments)


def start(
    context: Context, frame_ids: list[int], options: MergeOptions, look: str, replaces: int | None = None, request_key: str = ""
) -> Job:
    """Starts making a master. ``replaces`` is a master that is made again: it stays the same frame, with all its adjustments."""
    frames = _frames(frame_ids)
    if look not in LOOKS:
        raise UserError(f'There is no look "{look}" for masters; there are {", ".join(LOOKS)}.')
    if replaces is not None and not _frame(replaces).made:
        raise UserError("Only a master can be made again.")
    arguments = Merge(shoot_id=frames[0].shoot_id, frames=tuple(frame_ids), options=options, look=look, replaces=replaces)
    return MERGE.submit(context, f"{NAMED[options.kind]}: {name_of(frames, options.kind)}", arguments, request_key)


def _frame(frame_id: int) -> Frame:
    frame: Frame | None = Frame.get_or_none(Frame.id == frame_id)
    if frame is None:
        raise NotFound("There is no such frame.")
    return frame


def name_of(frames: Sequence[Frame], kind: str) -> str:
    """What a master of these frames is called."""
    first, last = Path(frames[0].name).stem, Path(frames[-1].name).stem
    digits = re.search(r"\d+$", last)
    return f"{first}-{digits[0] if digits else last}-{kind}.dng"[-200:]


def _opened(context: Context, job: Progress, frames: Sequence[Frame], until: float) -> list[Opened]:
    sources = []
    # a site has two bytes, a pixel of a finished picture up to six: what would fill the room of views is held for this job alone
    many = sum((2 if f.raw else 6) * f.width * f.height for f in frames) > MOST_IN_MEMORY
    for done, frame in enumerate(frames):
        job.progress(until * done / len(frames), f"reading {frame.name}")
        turn, path = Turn(Urgency.REST), original_path(context.home, frame)
        if many:
            source = Source(held(context.decoder.decode(path, turn), len(frames), context.home.cache))
        else:
            source = context.renderer.open(path, frame.content_hash, turn)
        sources.append((frame.name, source))
    return opened_together(sources)


def _words(job: Progress, options: MergeOptions, frames: int, begin: float, end: float) -> Callable[[str], None]:
    steps, done = steps_of(options, frames), 0

    def breathe(words: str) -> None:
        nonlocal done
        done += 1
        job.progress(begin + (end - begin) * min(done / steps, 1), words)

    return breathe


_KEPT = Kept()


def _files(frames: Sequence[Frame]) -> str:
    return " ".join(f.content_hash for f in frames)


def _judge(context: Context, job: Progress, arguments: Merge) -> dict[str, Any]:
    """Job: what a merge would be."""
    frames, options = _frames(arguments.frames), arguments.options
    opened = _opened(context, job, frames, 0.3)
    try:
        words = _words(job, options, len(frames), 0.3, 0.95)
        _KEPT.folder = context.home.cache / "merges"
        look = look_at(opened, options, context.renderer.lenses, words, _KEPT, _files(frames))
    except MergeError as error:
        raise UserError(str(error)) from error
    said = [[f.content_hash for f in frames], options.model_dump(mode="json"), FORM]
    key = hashlib.sha256(json.dumps(said, sort_keys=True).encode()).hexdigest()[:32]
    write_file(preview_file(context.home, key), jpeg_from(look.picture, 88))
    keys = {"depth": "", "before": ""}
    for name, picture in (("depth", look.depth), ("before", look.before)):
        if picture is not None:
            keys[name] = hashlib.sha256(f"{key} {name}".encode()).hexdigest()[:32]
            write_file(preview_file(context.home, keys[name]), jpeg_from(picture, 88))
    size = {"width": look.picture.shape[1], "height": look.picture.shape[0]}
    return {**look.report, **look.drawn, "preview": key, **keys, **size}


def preview_file(home: Home, key: str) -> Path:
    """Where the look at a merge is kept."""
    return home.cache / "merges" / f"{key}.jpg"


def _merge(context: Context, job: Progress, arguments: Merge) -> dict[str, Any]:
    """Job: the master, as a frame of the shoot. Repeated after an interruption it makes none twice."""
    frames = _frames(arguments.frames)
    options = arguments.options
    opened = _opened(context, job, frames, 0.1)
    sources = [{"frame": f.id, "name": f.file_name, "sha256": f.content_hash} for f in frames]

    def breathe(share: float) -> None:
        job.progress(0.4 + 0.5 * share, "adding up")

    words = _words(job, options, len(frames), 0.1, 0.4)
    _KEPT.folder = context.home.cache / "merges"
    try:
        made = merged(opened, options, context.renderer.lenses, SOFTWARE, sources, words, breathe, _KEPT, _files(frames))
    except MergeError as error:
        raise UserError(str(error)) from error
    job.progress(0.92, "writing")
    folder = context.home.cache / "merges" / job.id
    file = folder / name_of(frames, options.kind)
    try:
        try:
            write_file(file, made.dng)
        except OSError as error:
            raise unwritten(file, error, len(made.dng)) from error
        told = {
            "kind": options.kind,
            "sources": sources,
            "options": options.model_dump(mode="json"),
            "report": made.report,
        }
        frame = _put(context, frames, made.reference, file, told, arguments)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    return {"frame": frame.id, "name": frame.name, **made.report}


def _put(context: Context, frames: Sequence[Frame], first: int, file: Path, told: dict[str, Any], arguments: Merge) -> Frame:
    """The written master as a frame, new or in the place of an older one."""
    reference = frames[first]
    if arguments.replaces is not None:
        return bring_in.replace_file(context, _frame(arguments.replaces), file, made_from=told)
    version = bring_in.add(context, reference.shoot, file, reference.folder)
    if version is None:  # made by an attempt that was interrupted afterwards
        same = (Frame.shoot == reference.shoot_id) & (Frame.content_hash == hash_of(file))
        version = Version.get_by_id(Frame.get(same).cover_id)
    frame = version.frame
    if not frame.made:
        with database.atomic():
            Frame.update(
                made=arguments.options.kind,
                made_from=told,
                mark=reference.mark,
                stars=max(f.stars for f in frames),
                label=reference.label,
                changed_at=now(),
            ).where(Frame.id == frame.id).execute()
            describing.adopt(Frame.get_by_id(frame.id), reference.written)
            _join(frames, frame, arguments.options.kind)
    if arguments.look != "plain" and version.revision == 0:
        preset = next(p for p in OWN if p.name == arguments.look)
        changes.make(context, version.id, changes.Change(revision=0, do="set", values=preset.at(1)))
    pictures.SMALL_PICTURES.submit(context, f"Small picture: {frame.name}", pictures.Versions(version_ids=(version.id,)))
    return Frame.get_by_id(frame.id)


def _join(frames: Sequence[Frame], master: Frame, kind: str) -> None:
    """The master stands with what it was made from, in their set or in a new one."""
    common = {f.set_id for f in frames}
    if len(common) == 1 and (set_id := common.pop()) is not None:
        FrameSet.update(state="kept").where(FrameSet.id == set_id).execute()
        Frame.update(set_id=set_id, set_decided=True, changed_at=now()).where(
            (Frame.set_id == set_id) | (Frame.id == master.id)
        ).execute()
    else:
        sets.make([*(f.id for f in frames), master.id], SETS[kind])


def made_of(context: Context, frame_id: int) -> dict[str, Any]:
    """What a master was made from, and why it should be made again, if it should."""
    frame = _frame(frame_id)
    told = frame.made_from
    if not frame.made or not told:
        raise UserError(f"{frame.name}: It was not made of other frames.")
    known = {f.id: f for f in Frame.select().where(Frame.id.in_([s["frame"] for s in told["sources"]]))}
    rows, stale = [], []
    for source in told["sources"]:
        there = known.get(source["frame"])
        if there is None or there.removed_at is not None:
            stale.append(f"{source['name']} is not in the shoot any more.")
        elif there.content_hash != source["sha256"]:
            stale.append(f"{source['name']} was changed since.")
        rows.append({"name": source["name"], "frame": there.id if there is not None and there.removed_at is None else None})
    if frame.made == "focus" and not frame.depth_map:
        stale.append("It was made before depth maps were kept with a master.")
    return {
        "kind": told["kind"],
        "sources": rows,
        "options": of_kind(told["kind"], told["options"]),
        "report": of_kind(told["kind"], told["report"]),
        "stale": stale,
    }


JUDGE = JobKind("judge", Merge, _judge)
MERGE = JobKind("merge", Merge, _merge)
