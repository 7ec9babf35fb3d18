"""Bringing files into a shoot: copy or reference, hash, facts, previews, duplicates, refusals."""

import logging
import os
import shutil
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import peewee

from zincplate.formats.errors import FileError
from zincplate.formats.facts_in_words import searched
from zincplate.formats.files import write_file
from zincplate.recipe.document import Recipe
from zincplate.recipe.preset import Preset
from zincplate.services import history, originals, pictures, recipe_presets, shoots
from zincplate.services.beside import belongs, recipe_beside, with_words
from zincplate.services.context import Context, Progress, UserError
from zincplate.services.job_kinds import Arguments, JobKind
from zincplate.services.originals import hash_of
from zincplate.services.refusals import gone, reason_of, refuse, tell_missing
from zincplate.services.versions import recipe_hash
from zincplate.store.database import BUSY, UNAVAILABLE, database
from zincplate.store.home import Home
from zincplate.store.models import Frame, HistoryEntry, Job, Refusal, Shoot, Version

_NOT_PICTURES = {".txt", ".xmp", ".json", ".xml", ".md", ".db", ".ini", ".pdf", ".html", ".jsonl"}
_BESIDE = {".xmp", ".json"}
AT_ONCE = 3
"""Files in work at the same time."""
_SAME = tuple(threading.Lock() for _ in range(64))
"""By the beginning of a content's hash."""
LONGEST_FOLDER = 400
INCOMING_KEPT_S = 7 * 86_400.0
log = logging.getLogger(__name__)


def may_be_picture(path: Path) -> bool:
    """By its name; what it is its content decides."""
    return not path.name.startswith(".") and path.suffix.lower() not in _NOT_PICTURES


def beside_dropped(batch: Path) -> list[Path]:
    """Dropped pictures of a batch, each in a folder of its own, in the order they came. What was dropped beside a picture, words
    in XMP or a recipe, is put into its folder; of two pictures of one name it is nobody's."""
    files = sorted(batch.glob("*/*"), key=lambda p: (p.name, p.stat().st_mtime))
    pictures = [p for p in files if may_be_picture(p)]
    for file in files:
        if file.suffix.lower() not in _BESIDE:
            continue
        meant = [p for p in pictures if belongs(file, p)]
        if len(meant) == 1 and file.parent != meant[0].parent:
            file.replace(meant[0].with_name(file.name))
    return pictures


def files_in(folder: Path) -> list[Path]:
    """Files of a folder and its subfolders that may be pictures, sorted by name; raises :class:`UserError`."""
    if not folder.exists():
        raise UserError(f"{folder}: There is no such folder.")
    if folder.is_file():
        return [folder]
    found: list[Path] = []
    refused: list[OSError] = []
    for root, folders, names in os.walk(folder, onerror=refused.append):
        folders[:] = sorted(d for d in folders if not d.startswith("."))
        found += [Path(root) / n for n in sorted(names) if may_be_picture(Path(n))]
    if refused and not found:
        raise UserError(f"{folder}: There is no permission to look into it.")
    if not found:
        raise UserError(f"{folder}: There are no pictures in it.")
    return found


def start(
    context: Context,
    shoot: Shoot,
    paths: list[Path],
    *,
    reference: bool = False,
    move: bool = False,
    develop_small: bool = True,
    preset: str = "",
    folders_from: str = "",
    request_key: str = "",
) -> Job:
    """Submits the job. ``reference`` leaves files where they are; ``move`` is for uploads of ours.

    ``preset`` is put on every frame that has no recipe beside it. ``folders_from`` is the folder whose subfolders become folders
    of the shoot; empty keeps none. ``develop_small`` has small pictures of our own made
    afterwards; without it the camera's stay until a later job does.
    """
    if not paths:
        raise UserError("There is nothing to bring in.")
    readable = [p for p in paths if _is_text(p)]
    for path in paths:
        if not _is_text(path):
            refuse(shoot, os.fsencode(path.name).decode("utf-8", "replace"), "Its name is no text (UTF-8). Rename it.")
    if not readable:
        raise UserError("The names of these files are no text (UTF-8). Rename them.")
    paths = readable
    arguments = BringIn(
        shoot_id=shoot.id,
        paths=tuple(str(p) for p in paths),
        reference=reference,
        move=move,
        develop_small=develop_small,
        preset=preset,
        folders_from=folders_from,
    )
    return KIND.submit(context, f"Bring in {len(paths)} files: {shoot.name}", arguments, request_key)


def _is_text(path: Path) -> bool:
    try:
        str(path).encode()
    except UnicodeEncodeError:
        return False
    return True


class BringIn(Arguments):
    """Files to bring into a shoot."""

    shoot_id: int
    paths: tuple[str, ...]
    reference: bool = False
    move: bool = False
    develop_small: bool = True
    preset: str = ""
    folders_from: str = ""


def subfolder(path: Path, root: Path) -> str:
    """Folder of a file below another, parts with / between; empty for one that stands in it, or beside it."""
    inside = path.parent.relative_to(root) if path.parent.is_relative_to(root) else Path()
    return "" if inside == Path() else inside.as_posix()


def _run(context: Context, job: Progress, arguments: BringIn) -> dict[str, Any]:
    """Job: every file by itself; one bad file is listed with its reason and the others go on. May be repeated."""
    shoot, paths, root = shoots.get(arguments.shoot_id), arguments.paths, arguments.folders_from
    preset = recipe_presets.get(context.home, arguments.preset) if arguments.preset else None
    clear_incoming(context.home)
    added: list[int] = []
    already = refused = 0
    refused_now: set[str] = set()
    missing: list[str] = []

    def one(text: str) -> Version | Exception | None:
        path = Path(text)
        try:
            with database.connection_context():
                return _one(context, shoot, path, arguments.reference, preset, root and subfolder(path, Path(root)))
        except (*UNAVAILABLE, *BUSY):
            raise
        except Exception as error:  # one bad file never stops the others, whatever is wrong with it
            if not isinstance(error, FileError):
                log.exception("%s", path)
            return error

    # while one file is read by the decoder, another is hashed and a third is written
    pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="bring-in")
    try:
        for done, (text, result) in enumerate(zip(paths, pool.map(one, paths), strict=True)):
            path = Path(text)
            job.progress((done + 1) / len(paths), f"{path.name}, {done + 1} of {len(paths)}")
            if isinstance(result, Exception):
                refused += 1
                refused_now.add(path.name)
                if gone(path):
                    missing.append(path.name)
                    continue
                refuse(shoot, path.name, reason_of(result))
                continue
            if result is None:
                already += 1
            else:
                added.append(result.id)
            if path.name not in refused_now:  # another file of this name, from another folder, is still to be told
                Refusal.delete().where(Refusal.shoot == shoot, Refusal.name == path.name[:250]).execute()
            if arguments.move:
                _clear(path)
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
    tell_missing(shoot, Path(os.path.commonpath([Path(p).parent for p in paths])).name or "/", missing, len(paths))
    waiting = [
        v.id
        for v in Version.select(Version.id).join(Frame).where(Frame.shoot == shoot, Frame.thumb_state.in_(("none", "embedded")))
    ]
    if waiting and arguments.develop_small:
        pictures.SMALL_PICTURES.submit(context, f"Small pictures: {shoot.name}", pictures.Versions(version_ids=tuple(waiting)))
    return {"shoot": shoot.id, "added": len(added), "already": already, "refused": refused}


KIND = JobKind("bring_in", BringIn, _run)


def clear_incoming(home: Home) -> int:
    """Removes dropped files that nobody has brought in for a week, and refused ones of that age; returns how many batches."""
    folder, count = home.cache / "incoming", 0
    for batch in folder.iterdir() if folder.is_dir() else ():
        if batch.is_dir() and time.time() - batch.stat().st_mtime > INCOMING_KEPT_S:
            shutil.rmtree(batch, ignore_errors=True)
            count += 1
    return count


def _clear(dropped: Path) -> None:
    """A dropped file that was dealt with, what was dropped beside it, and the folders that held only them."""
    dropped.unlink(missing_ok=True)
    for file in dropped.parent.glob("*"):
        if belongs(file, dropped):
            file.unlink(missing_ok=True)
    for folder in (dropped.parent, dropped.parent.parent):
        try:
            folder.rmdir()
        except OSError:
            return  # others are still in it


def add(context: Context, shoot: Shoot, path: Path, folder: str = "") -> Version | None:
    """A file of ours as a frame of a shoot, copied; None when it is there already."""
    return _one(context, shoot, path, False, None, folder)


def replace_file(context: Context, frame: Frame, path: Path, **values: Any) -> Frame:
    """Another file in the place of a frame's own copy, for frames that were made here; versions and marks stay."""
    content_hash, size = hash_of(path), path.stat().st_size
    capture, preview = context.decoder.facts(path)
    stored = originals.copy_in(context, frame.shoot, path, frame.folder, content_hash)
    originals.note_original(context, stored, False, content_hash, size)
    if preview is not None:
        write_file(originals.preview_path(context.home, content_hash), preview.whole)
    before = frame.path
    Frame.update(
        content_hash=content_hash, size_bytes=size, path=stored, capture=capture.as_dict(), depth_map=capture.depth_map,
        width=capture.width, height=capture.height, thumb_state="embedded" if preview else "none",
        changed_at=datetime.now(UTC).replace(tzinfo=None), **values,
    ).where(Frame.id == frame.id).execute()  # fmt: skip
    if before != stored and not Frame.select().where(Frame.path == before).exists():
        originals.forget(context.home, before)
    return Frame.get_by_id(frame.id)


def _one(context: Context, shoot: Shoot, path: Path, reference: bool, preset: Preset | None, folder: str) -> Version | None:
    """The new frame's version, or None when the same picture is in the shoot already."""
    if len(folder) > LONGEST_FOLDER:
        raise FileError(path, f"It stands too deep: the names of its folders have more than {LONGEST_FOLDER} characters.")
    if not path.is_file():
        if not path.exists():
            raise FileError(path, "The file is not there.")
        raise FileError(path, "This is a folder, not a file." if path.is_dir() else "This is a device or a pipe, not a file.")
    try:
        content_hash = hash_of(path)
        size = path.stat().st_size
    except PermissionError as error:
        raise FileError(path, "There is no permission to read it.") from error
    except OSError as error:
        raise FileError(path, f"It could not be read: {error.strerror}.") from error
    # of two files with one content the later one has to meet the earlier
    with _SAME[int(content_hash[:2], 16) % len(_SAME)]:
        return _added(context, shoot, path, reference, preset, folder, content_hash, size)


def _added(
    context: Context,
    shoot: Shoot,
    path: Path,
    reference: bool,
    preset: Preset | None,
    folder: str,
    content_hash: str,
    size: int,
) -> Version | None:
    """A hashed file as a new frame."""
    same = Frame.get_or_none(Frame.shoot == shoot, Frame.content_hash == content_hash)
    if same is not None and same.removed_at is not None:
        return shoots.put_back(same)  # it was taken out of the shoot, and is wanted again
    if same is not None:
        if same.file_name != path.name[:200]:
            raise FileError(path, f"It holds the same picture as {same.name}, which is in this shoot already.")
        return None
    capture, preview = context.decoder.facts(path)
    capture, written = with_words(path, capture)
    begun, told = _begun(path, content_hash, capture.raw, preset)
    if told:
        capture = replace(capture, notes=(*capture.notes, told))
    stored = str(path.resolve()) if reference else originals.copy_in(context, shoot, path, folder, content_hash)
    originals.note_original(context, stored, reference, content_hash, size)
    if preview is not None:
        write_file(originals.preview_path(context.home, content_hash), preview.whole)
    captured_at = datetime.fromisoformat(capture.captured_at) if capture.captured_at else None
    recipe = Recipe.neutral(capture.raw).to_document()
    try:
        with database.atomic():
            frame = Frame.create(
                shoot=shoot,
                name=path.name[:200],
                file_name=path.name[:200],
                folder=folder,
                content_hash=content_hash,
                size_bytes=size,
                path=stored,
                referenced=reference,
                capture=capture.as_dict(),
                written=written or None,
                raw=capture.raw,
                captured_at=captured_at,
                stars=max(capture.rating or 0, 0),
                label=capture.label[:40],
                words=f"{path.name}\n{searched(capture)}",
                thumb_state="embedded" if preview is not None else "none",
                camera=f"{capture.camera_make} {capture.camera_model}".strip()[:120],
                lens=capture.lens[:200],
                file_type=capture.file_type[:60],
                colour_space=capture.colour_space[:60],
                bits=capture.bits,
                own_lens=bool(capture.own_lens),
                depth_map=capture.depth_map,
                **{
                    name: getattr(capture, name)
                    for name in ("width", "height", "exposure_time_s", "f_number", "iso", "focal_length_mm")
                },
            )
            version = Version.create(frame=frame, number=1, recipe=recipe, recipe_hash=recipe_hash(recipe))
            Frame.update(cover_id=version.id).where(Frame.id == frame.id).execute()
            HistoryEntry.create(version=version, position=0, words="Brought in", recipe=recipe)
            if begun is not None:
                _begin(version, *begun)
    except peewee.IntegrityError:
        return None  # another worker brought the same picture in meanwhile
    if preview is not None:
        pictures.take_over(context.home, version, preview.small)
    return version


def _begun(path: Path, content_hash: str, raw: bool, preset: Preset | None) -> tuple[tuple[Recipe, str] | None, str]:
    """What a frame begins with, and its words: a recipe beside it, else the preset; and a sentence to note."""
    recipe, told = recipe_beside(path, content_hash, raw)
    if recipe is not None:
        return (recipe, "Recipe from beside the file"), told
    if preset is not None:
        return (Recipe.neutral(raw).with_values(preset.at(1)), f"Preset {preset.name} on bringing in"), told
    return None, told


def _begin(version: Version, recipe: Recipe, words: str) -> None:
    document = recipe.to_document()
    if document == version.recipe:
        return
    HistoryEntry.create(**history.row(version, version.recipe, document, 1, words))
    version.recipe, version.recipe_hash, version.position, version.revision = document, recipe_hash(document), 1, 1
    version.adjusted = True
    version.save()
