"""The small pictures of the contact sheet: the camera's own at first, ours as soon as they are made."""

import re
from collections.abc import Sequence
from pathlib import Path

from zincplate.formats.errors import FileError
from zincplate.formats.files import write_file
from zincplate.formats.preview import SMALL_EDGE, jpeg_from
from zincplate.formats.turns import Turn, Urgency
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.view import ViewRequest
from zincplate.services import sets
from zincplate.services.context import Context, Progress
from zincplate.services.job_kinds import Arguments, JobKind
from zincplate.services.originals import original_path
from zincplate.services.plates import keep
from zincplate.store.database import let_go
from zincplate.store.home import Home
from zincplate.store.models import Frame, Version, now

THUMB_EDGE = SMALL_EDGE


def thumb_key(frame: Frame, version: Version) -> str:
    """Says what a version's small picture shows: the file's content under the recipe, or the camera's own picture. It stands in
    the picture's address, so that what was kept under an address is never another picture's."""
    return thumb_name(frame.content_hash, frame.thumb_state, version.recipe_hash, version.adjusted)


def thumb_name(content_hash: str, thumb_state: str, recipe_hash: str, adjusted: bool) -> str:
    """:func:`thumb_key` from columns."""
    embedded = thumb_state == "embedded" and not adjusted
    return f"{content_hash[:12]}{recipe_hash}{'e' if embedded else ''}"


def thumb_path(home: Home, version: Version) -> Path:
    """Where the small picture of a version as it is now stands, once it is made."""
    return _thumbs(home, version.id) / f"{version.id}-{thumb_key(version.frame, version)}.jpg"


def _thumbs(home: Home, version_id: int) -> Path:
    return home.cache / "thumbs" / str(version_id // 100)


def kept_picture(home: Home, version_id: int, key: str) -> bytes | None:
    """The small picture under a :func:`thumb_key` if it was made already; the store is not asked: a sheet that is scrolled fast
    wants fifty at once, and a name says for good what its file shows."""
    if re.fullmatch("[0-9a-f]{12,90}e?", key) is None:
        return None
    try:
        return (_thumbs(home, version_id) / f"{version_id}-{key}.jpg").read_bytes()
    except FileNotFoundError:
        return None


def small_picture(context: Context, version: Version) -> tuple[bytes, bool]:
    """A version's small picture (a JPEG), made now if need be, and whether it is of the version as it is. While the original
    cannot be read an older one stands in; raises ``FileError`` when there is none.

    It is read here: whoever makes a newer one takes the older away, at any moment."""
    try:
        return thumb_path(context.home, version).read_bytes(), True
    except FileNotFoundError:
        pass
    try:
        return refresh_thumb(context, version), True
    except (FileError, RecipeError):
        for older in sorted(_thumbs(context.home, version.id).glob(f"{version.id}-*.jpg"), key=_written, reverse=True):
            try:
                return older.read_bytes(), False
            except FileNotFoundError:
                continue
        raise


def _written(path: Path) -> float:
    try:
        return path.stat().st_mtime
    except FileNotFoundError:
        return 0.0


def take_over(home: Home, version: Version, small_jpeg: bytes) -> None:
    """First small picture of a version: the camera's."""
    write_file(thumb_path(home, version), small_jpeg)


def refresh_thumb(context: Context, version: Version) -> bytes:
    """Makes the small picture of a version from its recipe and gives it, a JPEG; raises ``FileError`` and ``RecipeError``."""
    frame, turn = version.frame, Turn(Urgency.REST)
    original = original_path(context.home, frame)
    let_go()
    source = context.renderer.open(original, frame.content_hash, turn)
    recipe = Recipe.from_document(version.recipe)
    request = ViewRequest(THUMB_EDGE, THUMB_EDGE, box=True)
    view = context.renderer.view(source, frame.content_hash, recipe, request, turn=turn)
    context.renderer.on_render_thread(lambda: keep(context.home, frame.content_hash, source), turn)
    if frame.thumb_state != "own":
        frame.thumb_state = "own"
        Frame.update(thumb_state="own", changed_at=now()).where(Frame.id == frame.id).execute()
    path, jpeg = thumb_path(context.home, version), jpeg_from(view.picture)
    write_file(path, jpeg)
    for other in path.parent.glob(f"{version.id}-*.jpg"):
        if other != path:
            other.unlink(missing_ok=True)
    return jpeg


def forget(home: Home, version_id: int) -> None:
    """Deletes the small pictures of a version that is no more."""
    for path in (home.cache / "thumbs" / str(version_id // 100)).glob(f"{version_id}-*.jpg"):
        path.unlink(missing_ok=True)


class Versions(Arguments):
    """Versions whose small pictures are to be made."""

    version_ids: tuple[int, ...]


def make_thumbs(context: Context, job: Progress, version_ids: Sequence[int]) -> dict[str, int]:
    """Job: own small pictures for many versions. A frame that cannot be decoded is marked and the others go on."""
    made = failed = 0
    for done, version_id in enumerate(version_ids):
        version = Version.get_or_none(Version.id == version_id)
        if version is not None and version.frame.thumb_state != "own":
            try:
                refresh_thumb(context, version)
                made += 1
            except (FileError, RecipeError):  # gone, damaged, or its lens data are: the others go on
                Frame.update(thumb_state="failed", changed_at=now()).where(Frame.id == version.frame_id).execute()
                failed += 1
        job.progress((done + 1) / len(version_ids), f"{done + 1} of {len(version_ids)}")
    return {"made": made, "failed": failed}


def _run(context: Context, job: Progress, arguments: Versions) -> dict[str, int]:
    made = make_thumbs(context, job, arguments.version_ids)
    if not made["made"]:
        return made
    # frames came: what belongs together can be told
    of = Version.select(Frame.shoot).join(Frame).where(Version.id.in_(list(arguments.version_ids[:1000]))).distinct()
    for (shoot_id,) in of.tuples():
        sets.start(context, shoot_id)
    return made


SMALL_PICTURES = JobKind("thumbs", Versions, _run)
