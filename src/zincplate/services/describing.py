"""What is written about frames: title, caption, keywords, author, rights and place, for many at once. Originals are not touched:
it stands with the frame, is found, and goes into every delivery."""

import json
from dataclasses import replace
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from zincplate.formats.capture import LONGEST_TEXT, MOST_KEYWORDS, CaptureData
from zincplate.formats.facts_in_words import searched
from zincplate.services.context import NotFound, UserError
from zincplate.store.database import database
from zincplate.store.models import Frame, now

TEXTS = ("title", "caption", "artist", "copyright", "place", "city", "region", "country")
OTHERS = ("keywords", "rating", "label")
"""What a file beside a picture may say besides."""
LONGEST_KEYWORD = 200
_AT_ONCE = 500


class Description(BaseModel):
    """What is to be written; None leaves as it is, an empty text takes away."""

    model_config = ConfigDict(extra="forbid")

    title: str | None = Field(default=None, max_length=LONGEST_TEXT)
    caption: str | None = Field(default=None, max_length=LONGEST_TEXT)
    artist: str | None = Field(default=None, max_length=LONGEST_TEXT)
    copyright: str | None = Field(default=None, max_length=LONGEST_TEXT)
    place: str | None = Field(default=None, max_length=LONGEST_TEXT)
    city: str | None = Field(default=None, max_length=LONGEST_TEXT)
    region: str | None = Field(default=None, max_length=LONGEST_TEXT)
    country: str | None = Field(default=None, max_length=LONGEST_TEXT)
    add_keywords: list[str] = Field(default=[], max_length=MOST_KEYWORDS)
    remove_keywords: list[str] = Field(default=[], max_length=MOST_KEYWORDS)


def as_written(capture: CaptureData, written: dict[str, Any] | None) -> CaptureData:
    """The facts of a file with what was written about the frame since."""
    if not written:
        return capture
    return CaptureData.of({**capture.as_dict(), **written})


def delivered(frame: Frame, capture: CaptureData) -> CaptureData:
    """What a delivery of a frame says of it: the file's facts, what was written, and the stars and label it has here."""
    told = as_written(capture, frame.written)
    rating = frame.stars if frame.stars or capture.rating is not None else None
    return replace(told, rating=rating, label=frame.label)


def summary(frame_ids: list[int]) -> dict[str, Any]:
    """What frames have in common: a text where all have the same, None where they differ; keywords that all have, and that some
    have."""
    frames = _frames(frame_ids)
    found: dict[str, Any] = {}
    for name in TEXTS:
        texts = {str(f.capture.get(name) or "") for f in frames}
        found[name] = texts.pop() if len(texts) == 1 else None
    each = [set(f.capture.get("keywords") or ()) for f in frames]
    everywhere = set.intersection(*each)
    found["keywords"] = sorted(everywhere)
    found["keywords_of_some"] = sorted(set.union(*each) - everywhere)
    return found


def describe(frame_ids: list[int], description: Description) -> list[dict[str, Any]]:
    """Writes about frames. Returns what was written about each before, for :func:`put_back`."""
    texts = {name: value.strip() for name in TEXTS if (value := getattr(description, name)) is not None}
    add = [k for k in (" ".join(word.split()) for word in description.add_keywords) if k]
    if any(len(k) > LONGEST_KEYWORD for k in add):
        raise UserError(f"A keyword has at most {LONGEST_KEYWORD} characters.")
    remove = set(description.remove_keywords)
    before = []
    described: list[Written] = []
    with database.atomic():
        for frame in _frames(frame_ids):
            facts = {name: frame.capture.get(name) or "" for name in TEXTS}
            before.append(
                {"frame": frame.id, "written": frame.written, **facts, "keywords": list(frame.capture.get("keywords") or ())}
            )
            written = {**(frame.written or {}), **texts}
            if add or remove:
                kept = [k for k in frame.capture.get("keywords") or () if k not in remove]
                written["keywords"] = [*kept, *(k for k in dict.fromkeys(add) if k not in kept)][:MOST_KEYWORDS]
            described.append((frame, {**frame.capture, **written}, written))
        _write(described)
    return before


def adopt(frame: Frame, written: dict[str, Any] | None) -> None:
    """What was written about another frame is written about this one, which was made of it."""
    if written:
        _write([(frame, {**frame.capture, **written}, dict(written))])


class Before(BaseModel):
    """What was written about a frame before it was described anew."""

    model_config = ConfigDict(extra="forbid")

    frame: int
    written: dict[str, Any] | None
    title: str
    caption: str
    artist: str
    copyright: str
    place: str
    city: str
    region: str
    country: str
    keywords: list[str] = Field(max_length=MOST_KEYWORDS)


def put_back(before: list[Before]) -> int:
    """Undoes :func:`describe`; returns for how many frames."""
    rows = {row.frame: row for row in before}
    with database.atomic():
        described: list[Written] = []
        for frame in _about(Frame.id.in_(list(rows))):
            facts = rows[frame.id].model_dump(exclude={"frame", "written"})
            written = {k: v for k, v in (rows[frame.id].written or {}).items() if k in (*TEXTS, *OTHERS)}
            described.append((frame, {**frame.capture, **facts}, written or None))
        _write(described)
    return len(described)


def _about(*which: Any) -> list[Frame]:
    """Frames with what is read here of them; the rest stays where it is."""
    return list(Frame.select(Frame.id, Frame.name, Frame.file_name, Frame.capture, Frame.written).where(*which))


def _frames(frame_ids: list[int]) -> list[Frame]:
    frames = _about(Frame.id.in_(frame_ids), Frame.removed_at.is_null())
    if len(frames) != len(set(frame_ids)) or not frames:
        raise NotFound("One of these frames is not there any more.")
    return frames


Written = tuple[Frame, dict[str, Any], dict[str, Any] | None]
"""A frame, its facts with what is written about it, and that alone."""


def _write(described: list[Written]) -> None:
    """A statement for some hundred frames, not one for each."""
    columns = ", ".join(f"{name} LONGTEXT PATH '$[{i + 1}]'" for i, name in enumerate(("capture", "written", "words")))
    statement = (
        f"UPDATE frame JOIN JSON_TABLE(%s, '$[*]' COLUMNS (id INT PATH '$[0]', {columns})) AS told ON frame.id = told.id"  # noqa: S608
        " SET frame.capture = told.capture, frame.written = told.written, frame.words = told.words, frame.changed_at = %s"
    )
    for at in range(0, len(described), _AT_ONCE):
        rows = [
            [frame.id, json.dumps(capture), None if written is None else json.dumps(written), _words(frame, capture)]
            for frame, capture, written in described[at : at + _AT_ONCE]
        ]
        database.execute_sql(statement, (json.dumps(rows), now()))


def _words(frame: Frame, capture: dict[str, Any]) -> str:
    return "\n".join((*dict.fromkeys((frame.name, frame.file_name)), searched(CaptureData.of(capture))))
