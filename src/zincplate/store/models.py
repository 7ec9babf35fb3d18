"""Tables. Sizes and facts used for search stand in columns; recipes and histories are JSON documents."""

from datetime import UTC, datetime
from typing import Any

import peewee

from zincplate.store.database import database


def now() -> datetime:
    """UTC without zone, as the server keeps it."""
    return datetime.now(UTC).replace(tzinfo=None)


class Moment(peewee.DateTimeField):
    """With microseconds; peewee's own drops them."""

    field_type = "DATETIME(6)"


class Double(peewee.FloatField):
    """8 bytes; peewee's own has 4."""

    field_type = "DOUBLE"


class Table(peewee.Model):
    """Base of all tables."""

    class Meta:
        database = database
        legacy_table_names = False


class Shoot(Table):
    """Frames brought in together."""

    name = peewee.CharField(120)
    folder = peewee.CharField(160, unique=True)
    created_at = Moment(default=now)


class Frame(Table):
    """One original file."""

    shoot = peewee.ForeignKeyField(Shoot, backref="frames", on_delete="CASCADE")
    name = peewee.CharField(200)
    """What lists and deliveries call it."""
    file_name = peewee.CharField(200, default="")
    """The name its file came with."""
    folder = peewee.CharField(400, default="")
    """Folder of the shoot, parts with / between; empty is none."""
    hand_place = Double(null=True)
    """Where it stands in the order by hand."""
    content_hash = peewee.FixedCharField(64)
    size_bytes = peewee.BigIntegerField()
    path = peewee.CharField(1000)
    """Relative to the originals folder, or absolute when referenced."""
    referenced = peewee.BooleanField(default=False)
    capture: Any = peewee.JSONField()
    written: Any = peewee.JSONField(null=True)
    """What was written about it here or beside its file: facts that count before those of the file itself."""
    raw = peewee.BooleanField(default=False)
    captured_at = Moment(null=True)
    mark = peewee.CharField(8, default="")
    stars = peewee.SmallIntegerField(default=0)
    label = peewee.CharField(40, default="")
    words: Any = peewee.TextField(default="")
    """Name and everything written about the picture, a line each: what a search looks into."""
    thumb_state = peewee.CharField(8, default="embedded")
    """none, embedded, own, failed: what the small picture is made from."""
    camera = peewee.CharField(120, default="")
    """Maker and model. This and what follows stand in ``capture`` too: lists of frames read columns, never whole documents."""
    lens = peewee.CharField(200, default="")
    file_type = peewee.CharField(60, default="")
    bits = peewee.IntegerField(default=0)
    colour_space = peewee.CharField(60, default="")
    width = peewee.IntegerField(default=0)
    height = peewee.IntegerField(default=0)
    exposure_time_s = Double(default=0)
    f_number = Double(default=0)
    iso = peewee.IntegerField(default=0)
    focal_length_mm = Double(default=0)
    own_lens = peewee.BooleanField(default=False)
    """The file describes its lens itself."""
    depth_map = peewee.BooleanField(default=False)
    """The file holds one beside the picture."""
    cover_id = peewee.IntegerField(null=True)
    """The version that stands for the frame."""
    set_id = peewee.IntegerField(null=True)
    """The set it belongs to."""
    set_decided = peewee.BooleanField(default=False)
    """The user has decided about that: proposals leave it alone."""
    made = peewee.CharField(12, default="")
    """What merge made it; empty for a frame that was taken."""
    made_from: Any = peewee.JSONField(null=True)
    """Its sources with their hashes, the options and the report."""
    removed_at = Moment(null=True)
    """Taken out of the shoot; the original stays where it is."""
    changed_at = Moment(default=now)
    """Of anything a list shows: mark, small picture, versions. Lists ask for what changed since."""
    created_at = Moment(default=now)


class FrameSet(Table):
    """Frames that were taken to be one picture."""

    shoot = peewee.ForeignKeyField(Shoot, on_delete="CASCADE")
    kind = peewee.CharField(12)
    name = peewee.CharField(80, default="")
    state = peewee.CharField(12, default="proposed")
    """proposed, kept."""
    created_at = Moment(default=now)


class Version(Table):
    """One set of adjustments of a frame."""

    frame = peewee.ForeignKeyField(Frame, backref="versions", on_delete="CASCADE")
    number = peewee.IntegerField()
    name = peewee.CharField(80, default="")
    recipe: Any = peewee.JSONField()
    recipe_hash = peewee.FixedCharField(16, default="")
    """Of the recipe, so that lists of frames can name their small pictures without reading recipes."""
    revision = peewee.IntegerField(default=0)
    """Rises with every change, undo and redo; what a change must be based on."""
    readable_revision = peewee.IntegerField(default=0)
    """Revision that the readable copy on disk holds."""
    position = peewee.IntegerField(default=0)
    """Which history entry is current."""
    adjusted = peewee.BooleanField(default=False)
    deleted_at = Moment(null=True)
    """Deleted versions are kept for a while, so that this too can be undone."""


class ShownVersion(Table):
    """What lists of frames tell of a version. ``passes`` and ``repairs`` (is there any, in a step that is not off) are worked out
    by the store from the recipe and cannot be written."""

    recipe_hash = peewee.FixedCharField(16)
    adjusted = peewee.BooleanField()
    passes = peewee.BooleanField()
    repairs = peewee.BooleanField()

    class Meta:
        """The table of versions."""

        table_name = "version"


class Bulk(Table):
    """One thing that was done to many versions at once, and can be undone for all of them at once."""

    shoot = peewee.ForeignKeyField(Shoot, null=True, on_delete="CASCADE")
    kind = peewee.CharField(20)
    """carry, preset, even, reset, together."""
    words = peewee.CharField(250)
    request_key = peewee.CharField(40, null=True, unique=True)
    result: Any = peewee.JSONField(null=True)
    """What was answered: sent twice it is done once."""
    undone = peewee.BooleanField(default=False)
    created_at = Moment(default=now)


class HistoryEntry(Table):
    """A change in words, and the recipe after it: whole at times, else as the difference to the entry before
    (:mod:`zincplate.services.history`)."""

    version = peewee.ForeignKeyField(Version, backref="history", on_delete="CASCADE")
    position = peewee.IntegerField()
    words = peewee.CharField(250)
    gesture = peewee.CharField(40, default="")
    """Changes of one gesture (a key held down, steps in quick succession) are one entry."""
    recipe: Any = peewee.JSONField(null=True)
    difference: Any = peewee.JSONField(null=True)
    bulk = peewee.ForeignKeyField(Bulk, null=True, on_delete="SET NULL")
    created_at = Moment(default=now)


class AppliedChange(Table):
    """A change that was made, by the id its page gave it: sent twice it is made once."""

    version = peewee.ForeignKeyField(Version, backref="applied", on_delete="CASCADE")
    change_id = peewee.CharField(40)
    created_at = Moment(default=now)


class NamedState(Table):
    """A recipe of a version kept under a name; later changes and undoing do not touch it."""

    version = peewee.ForeignKeyField(Version, backref="states", on_delete="CASCADE")
    name = peewee.CharField(60)
    recipe: Any = peewee.JSONField()
    created_at = Moment(default=now)


class Refusal(Table):
    """A file that could not be brought in, with the reason."""

    shoot = peewee.ForeignKeyField(Shoot, backref="refusals", on_delete="CASCADE")
    name = peewee.CharField(250)
    reason = peewee.CharField(500)
    created_at = Moment(default=now)


class Job(Table):
    """The truth about slow work; the queue only carries its id."""

    id = peewee.CharField(36, primary_key=True)
    kind = peewee.CharField(40)
    title = peewee.CharField(200)
    arguments: Any = peewee.JSONField()
    state = peewee.CharField(12, default="queued")
    attempt = peewee.IntegerField(default=0)
    max_attempts = peewee.IntegerField(default=3)
    progress = Double(default=0)
    tried_from = Double(default=0)
    """How far it was when its newest attempt began."""
    note = peewee.CharField(500, default="")
    cancel = peewee.BooleanField(default=False)
    lease_until = Double(default=0)
    """Of a running job: until then it is believed to live. Of one that waits: not before."""
    owner = peewee.CharField(60, default="")
    request_key = peewee.CharField(40, null=True, unique=True)
    """Given by whoever asked for it: the same key again starts nothing."""
    result: Any = peewee.JSONField(null=True)
    created_at = Moment(default=now)
    changed_at = Moment(default=now)


class Delivered(Table):
    """The ledger: one delivered file and what it was made from."""

    version = peewee.ForeignKeyField(Version, backref="deliveries", on_delete="CASCADE")
    job = peewee.CharField(36, default="")
    revision = peewee.IntegerField()
    recipe: Any = peewee.JSONField()
    preset: Any = peewee.JSONField()
    path = peewee.CharField(500, unique=True)
    content_hash = peewee.FixedCharField(64)
    size_bytes = peewee.BigIntegerField()
    width = peewee.IntegerField()
    height = peewee.IntegerField()
    created_at = Moment(default=now)


TABLES = (Shoot, Frame, FrameSet, Version, Bulk, HistoryEntry, AppliedChange, NamedState, Refusal, Job, Delivered)
