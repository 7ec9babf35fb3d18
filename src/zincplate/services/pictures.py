"""The small pictures of the contact sheet: the camera's own at first, ours as soon as they are made."""

import io
import os
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zincplate.core.orientation import upright
from zincplate.engine.recipe import Recipe
from zincplate.engine.view import ViewRequest
from zincplate.formats.errors import FileError
from zincplate.services.context import Context, Progress
from zincplate.store.home import Home
from zincplate.store.models import Frame, Version

THUMB_EDGE = 480


def original_path(home: Home, frame: Frame) -> Path:
    """Where a frame's original stands."""
    return Path(frame.path) if frame.referenced else home.originals / frame.path


def preview_path(home: Home, content_hash: str) -> Path:
    """The camera's own preview, upright."""
    return home.cache / "previews" / f"{content_hash}.jpg"


def thumb_path(home: Home, version_id: int) -> Path:
    """The small picture of a version."""
    return home.cache / "thumbs" / f"{version_id}.jpg"


def _replace(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    temporary = path.with_name(f".{path.name}.{os.getpid()}")
    temporary.write_bytes(data)
    os.replace(temporary, path)


def _jpeg(image: NDArray[np.uint8], quality: int) -> bytes:
    out = io.BytesIO()
    Image.fromarray(image).save(out, "JPEG", quality=quality)
    return out.getvalue()


def keep_embedded(home: Home, content_hash: str, preview: bytes, orientation: int) -> bool:
    """Stores the camera's preview upright; False when it cannot be read."""
    try:
        with Image.open(io.BytesIO(preview)) as image:
            image.draft("RGB", (1600, 1600))
            pixels = np.asarray(image.convert("RGB"))
    except (OSError, SyntaxError, ValueError):
        return False
    _replace(preview_path(home, content_hash), _jpeg(np.ascontiguousarray(upright(pixels, orientation)), 85))
    return True


def thumb_from_embedded(home: Home, content_hash: str, version_id: int) -> None:
    """First small picture of a version, from the camera's preview."""
    with Image.open(preview_path(home, content_hash)) as image:
        image.draft("RGB", (THUMB_EDGE, THUMB_EDGE))
        image.thumbnail((THUMB_EDGE, THUMB_EDGE))
        _replace(thumb_path(home, version_id), _jpeg(np.asarray(image.convert("RGB")), 85))


def refresh_thumb(context: Context, version: Version) -> None:
    """Makes the small picture of a version from its recipe; raises ``FileError``."""
    frame = version.frame
    source = context.renderer.open(original_path(context.home, frame), frame.content_hash)
    recipe = Recipe.from_document(version.recipe)
    view = context.renderer.view(source, frame.content_hash, recipe, ViewRequest(THUMB_EDGE, THUMB_EDGE, box=True))
    _replace(thumb_path(context.home, version.id), _jpeg(view.picture, 85))
    if frame.thumb_state != "own":
        Frame.update(thumb_state="own").where(Frame.id == frame.id).execute()


def make_thumbs(context: Context, job: Progress, version_ids: list[int]) -> dict[str, int]:
    """Job: own small pictures for many versions. A frame that cannot be decoded is marked and the others go on."""
    made = failed = 0
    for done, version_id in enumerate(version_ids):
        version = Version.get_or_none(Version.id == version_id)
        if version is not None and version.frame.thumb_state != "own":
            try:
                refresh_thumb(context, version)
                made += 1
            except FileError:
                Frame.update(thumb_state="failed").where(Frame.id == version.frame_id).execute()
                failed += 1
        job.progress((done + 1) / len(version_ids), f"{done + 1} of {len(version_ids)}")
    return {"made": made, "failed": failed}
