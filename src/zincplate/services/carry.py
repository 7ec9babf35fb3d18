"""Carrying adjustments to other frames: from a frame, from a preset, back to how they came in, or each its own values."""

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from zincplate.ops.order import ORDER
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.recipe.pass_carry import Areas, Joining, carried
from zincplate.recipe.preset import values_of
from zincplate.recipe.relative import moved
from zincplate.recipe.repair_carry import carried_repairs
from zincplate.services import bulk, recipe_presets
from zincplate.services.bulk import Values
from zincplate.services.context import Context, UserError
from zincplate.services.plates import as_shot_of
from zincplate.services.versions import get as get_version
from zincplate.services.versions import live
from zincplate.store.database import database
from zincplate.store.models import Bulk, Frame, Version

MOST = 20_000
RELATIVE = frozenset({"exposure", "balance"})
"""Adjustments that may be carried as a change: what their numbers mean depends on the frame's own light."""


class Target(BaseModel):
    """One frame's version, and what it gets instead of, or besides, what all get: its own correction."""

    model_config = ConfigDict(extra="forbid")

    version: int
    values: dict[str, dict[str, Any]] = {}


class Carry(BaseModel):
    """What is put on many versions as one step.

    From the version ``source`` its ``operations``; or a ``preset`` at a ``strength``; or ``reset`` of ``operations``; or (none of
    these) each target's own values alone. ``as_change`` names operations of a source that are carried as a change.
    """

    model_config = ConfigDict(extra="forbid")

    source: int | None = None
    preset: str | None = Field(default=None, max_length=200)
    strength: float = Field(default=1.0, ge=0, le=1.5)
    reset: bool = False
    operations: list[str] = Field(default=[], max_length=100)
    as_change: list[str] = Field(default=[], max_length=10)
    areas: Areas = "as_drawn"
    """Areas of passes: as they are, found again on each frame (a job of its own), or without passes that are bound to pixels."""
    joining: Joining = "replace"
    """Whether carried passes take the place of a frame's own, or are added to them."""
    targets: list[Target] = Field(min_length=1, max_length=MOST)
    words: str = Field(default="", max_length=200)
    request_key: str = Field(default="", max_length=40, pattern=r"^[A-Za-z0-9-]*$")


def carry(context: Context, asked: Carry) -> dict[str, Any]:
    """Does it and says what came of it: ``bulk`` (to take it back by), ``changed``, ``unchanged`` (ids), ``refused``
    (sentences)."""
    if asked.request_key and (known := Bulk.get_or_none(Bulk.request_key == asked.request_key)) is not None:
        return known.result or {"bulk": known.id, "words": known.words, "changed": [], "unchanged": [], "refused": []}
    own = {t.version: t.values for t in asked.targets}
    try:
        kind, words, common = _common(context, asked)
        wanted = {version: _with(common(version), values) for version, values in own.items()}
        if asked.source is not None and {"passes", "repairs"} & set(asked.operations):
            wanted = _joined(wanted, asked)
    except RecipeError as error:
        raise UserError(str(error)) from error
    shoots = {s for (s,) in Version.select(Frame.shoot).join(Frame).where(Version.id.in_(list(own)[:1000])).distinct().tuples()}
    with database.atomic():
        number = bulk.begin(kind, shoots.pop() if len(shoots) == 1 else None, asked.words or words, asked.request_key)
        done = bulk.put(context, number, asked.words or words, wanted)
        refused = _named(done["refused"])
        result = {"bulk": number if done["changed"] else None, "words": asked.words or words, **done, "refused": refused}
        if done["changed"]:
            Bulk.update(result=result).where(Bulk.id == number).execute()
        else:
            Bulk.delete().where(Bulk.id == number).execute()
    return result


def _joined(wanted: dict[int, Values], asked: Carry) -> dict[int, Values]:
    """Values whose passes and repairs are put together with those of the frames that they go to."""
    theirs: dict[int, dict[str, Any]] = {}
    if asked.joining == "add":
        ids = list(wanted)
        for start in range(0, len(ids), 1000):
            rows = Version.select(Version.id, Version.recipe).where(Version.id.in_(ids[start : start + 1000])).tuples()
            theirs.update({i: {part: recipe.get(part, {}) for part in ("passes", "repair")} for i, recipe in rows})
    out: dict[int, Values] = {}
    for version, values in wanted.items():
        own, here = dict(values), theirs.get(version, {})
        if "passes" in values:
            before = here.get("passes", {}).get("passes", [])
            own["passes"] = {"passes": carried(values["passes"]["passes"], before, asked.areas, asked.joining)}
        if "repair" in values:
            before = here.get("repair", {}).get("repairs", [])
            own["repair"] = {"repairs": carried_repairs(values["repair"]["repairs"], before, asked.joining)}
        out[version] = own
    return out


def _common(context: Context, asked: Carry) -> tuple[str, str, Any]:
    """Kind, words, and a function that gives each version what all get."""
    if asked.source is not None:
        version = get_version(asked.source)
        recipe = Recipe.from_document(version.recipe)
        values = values_of(recipe, asked.operations)
        labels = ", ".join(o.label.lower() for o in ORDER if o.id in asked.operations)
        words = f"Carried from {version.frame.name}: {labels or 'its own correction'}"
        if not asked.as_change:
            return "carry", words, lambda _target: values
        if set(asked.as_change) - RELATIVE:
            raise UserError("Only exposure and white balance can be carried as a change.")
        return "carry", words, _Relative(context, version, values, asked.as_change)
    if asked.preset is not None:
        preset = recipe_presets.get(context.home, asked.preset)
        share = "" if asked.strength == 1 else f" at {asked.strength:.0%}"
        balanced = "balance" in preset.operations and asked.strength != 1

        def at(target: int) -> Values:
            return preset.at(asked.strength, as_shot_of(context, get_version(target).frame) if balanced else None)

        values = preset.at(asked.strength)
        return "preset", f"Preset {preset.name}{share}", at if balanced else lambda _target: values
    if asked.reset:
        neutral = {raw: values_of(Recipe.neutral(raw), asked.operations or [o.id for o in ORDER]) for raw in (True, False)}
        raws = dict(_raws([t.version for t in asked.targets]))
        return "reset", "Reset", lambda target: neutral[bool(raws.get(target, True))]
    return "even", "Evened out", lambda _target: {}


def _raws(version_ids: list[int]) -> Any:
    return Version.select(Version.id, Frame.raw).join(Frame).where(Version.id.in_(version_ids), live()).tuples()


class _Relative:
    """A source's values, some of them as a change against how the source came in."""

    def __init__(self, context: Context, source: Version, values: Values, as_change: list[str]) -> None:
        self._context, self._values = context, values
        recipe = Recipe.from_document(source.recipe)
        self._moving = values_of(recipe, as_change)
        self._neutral = Recipe.neutral(source.frame.raw).to_document()
        self._as_shot = as_shot_of(context, source.frame)

    def __call__(self, target: int) -> Values:
        version = get_version(target)
        as_shot = as_shot_of(self._context, version.frame)
        changed = moved(self._moving, self._neutral, version.recipe, as_shot, self._as_shot)
        return _with(self._values, changed)


def _with(common: Values, own: Values) -> Values:
    """Both, where ``own`` comes last."""
    if not own:
        return common
    return {step: {**common.get(step, {}), **own.get(step, {})} for step in {*common, *own}}


def _named(refused: dict[int, str]) -> list[dict[str, Any]]:
    names = dict(
        Version.select(Version.id, Frame.name).join(Frame).where(Version.id.in_(list(refused))).tuples() if refused else ()
    )
    return [{"version": i, "frame": names.get(i, ""), "reason": reason} for i, reason in refused.items()]


def undo(bulk_id: int) -> dict[str, Any]:
    """Takes a step back for all frames that were not changed since."""
    return bulk.move(bulk_id, undo=True)


def redo(bulk_id: int) -> dict[str, Any]:
    """Makes it again."""
    return bulk.move(bulk_id, undo=False)


def recent(shoot_id: int | None, limit: int = 12) -> list[dict[str, Any]]:
    """The newest steps of this kind, of a shoot or of all, newest first."""
    query = Bulk.select().order_by(Bulk.id.desc()).limit(limit)
    if shoot_id is not None:
        query = query.where(Bulk.shoot == shoot_id)
    return [
        {
            "bulk": b.id,
            "kind": b.kind,
            "words": b.words,
            "frames": len((b.result or {}).get("changed", ())),
            "undone": b.undone,
            "at": b.created_at.isoformat(),
        }
        for b in query
    ]
