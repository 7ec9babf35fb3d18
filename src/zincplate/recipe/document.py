"""The recipe: the stored adjustments of a version, as one JSON document.

``{"recipe": 1, "versions": {operation: number}, "balance": {...}, "tone": {...}, ..., "off": ["tone"]}``. Full parameters
are written, so that a changed default never alters an old picture.

A document of an older program is brought to today's form by the upgrades of its operations. One of a newer program keeps, through
any number of readings and savings here, its own numbers and everything that this program does not know; that is not shown, and
:attr:`Recipe.notes` says so. Without such numbers what is unknown is refused.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from pydantic import ValidationError

from zincplate.formats.errors import Told
from zincplate.ops.base import STEPS, Operation, Parameters
from zincplate.ops.order import ORDER

FORMAT = 1


class RecipeError(Told, ValueError):
    """A recipe or a single setting that cannot be used; the message is a sentence for the user."""


def _control_owner() -> dict[tuple[str, str], str]:
    owner: dict[tuple[str, str], str] = {}
    for operation in ORDER:
        for name in operation.parameters.model_fields:
            if (operation.step, name) in owner:
                raise RuntimeError(f"{operation.step}.{name} is defined twice")
            owner[operation.step, name] = operation.id
    return owner


CONTROLS = _control_owner()
"""(step, control) -> operation id."""


def _sentence(error: ValidationError, step: str) -> str:
    first = error.errors()[0]
    name = ".".join(str(part) for part in first["loc"])
    text = first["msg"].removeprefix("Value error, ")
    # a rule about several controls names none of them
    return f"{step}.{name}: {text[0].lower()}{text[1:]}." if name else f"{step}: {text[0].lower()}{text[1:]}."


@dataclass(frozen=True)
class Newer:
    """What a newer program wrote and this one only keeps."""

    format: int = FORMAT
    versions: Mapping[str, int] = field(default_factory=dict)
    """Numbers of the document that are higher than ours, or of operations that are unknown here."""
    parts: Mapping[str, Any] = field(default_factory=dict)
    """Unknown sections; in known ones controls that are unknown, or whose value is."""

    def without(self, step: str, name: str) -> "Newer":
        """A control was set here: what the newer program had set is gone."""
        section = self.parts.get(step)
        if not isinstance(section, dict) or name not in section:
            return self
        rest = {k: v for k, v in section.items() if k != name}
        return replace(self, parts={**self.parts, step: rest} if rest else {k: v for k, v in self.parts.items() if k != step})

    def note(self) -> str:
        """What is not shown; empty when everything is."""
        names = []
        for key, value in self.parts.items():
            names += [f"{key}.{name}" for name in value] if key in STEPS and isinstance(value, dict) else [key]
        if names:
            listed = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
            return f"This recipe was written by a newer version of Zincplate: {listed} is kept but does not show here."
        if self.versions or self.format > FORMAT:
            return "This recipe was written by a newer version of Zincplate and may look different there."
        return ""


def _numbers(document: dict[str, Any]) -> tuple[int, dict[str, int]]:
    """The document's own number and those of its operations."""
    number: Any = document.get("recipe")
    versions = document.get("versions", {})
    if not _whole(number):
        raise RecipeError('This is not a recipe: it needs to be a JSON object with "recipe": 1.')
    if not isinstance(versions, dict) or not all(isinstance(k, str) and _whole(v) for k, v in versions.items()):
        raise RecipeError('recipe: "versions" needs to be an object of whole numbers from 1 on.')
    return int(number), versions


def _whole(number: Any) -> bool:
    return isinstance(number, int) and not isinstance(number, bool) and 1 <= number < 1_000_000


def _read(operation: Operation[Any], values: dict[str, Any], newer: bool) -> tuple[Parameters, dict[str, Any]]:
    """Parameters, and values of a newer program that are not understood: their controls stand at neutral meanwhile."""
    kept: dict[str, Any] = {}
    while True:
        try:
            return operation.parameters.model_validate(values), kept
        except ValidationError as error:
            place = error.errors()[0]["loc"]
            if not newer or (place and place[0] not in values):
                raise RecipeError(_sentence(error, operation.step)) from error
            # a rule about several controls names none of them: then none is understood
            for name in [str(place[0])] if place else list(values):
                kept[name] = values[name]
            values = {k: v for k, v in values.items() if k not in kept}


@dataclass(frozen=True)
class Recipe:
    """Immutable. ``parameters`` holds one model per operation; ``off`` the steps that are switched off."""

    parameters: dict[str, Parameters]
    off: frozenset[str] = frozenset()
    newer: Newer = field(default_factory=Newer)
    upgraded: tuple[str, ...] = field(default=(), compare=False)
    """Sentences about what does not show as it did when the document was written."""

    @staticmethod
    def neutral(raw: bool) -> "Recipe":
        """The recipe of a frame just brought in: camera data are shown like a print with blown highlights rebuilt, rendered files
        stay as they are."""
        recipe = Recipe({o.id: o.neutral() for o in ORDER})
        return recipe.with_values({"tone": {"view": "standard", "highlight_recovery": "rebuild"}}) if raw else recipe

    @staticmethod
    def from_document(document: Any) -> "Recipe":
        """Parse, bring to today's form and validate; raises :class:`RecipeError`."""
        if not isinstance(document, dict):
            raise RecipeError('This is not a recipe: it needs to be a JSON object with "recipe": 1.')
        number, versions = _numbers(document)
        known = {o.id: o.version for o in ORDER}
        higher = {k: v for k, v in versions.items() if v > known.get(k, 0)}
        newer = number > FORMAT or bool(higher)
        retired = {(o.step, name): o.id for o in ORDER if versions.get(o.id, o.version) < o.version for name in o.retired}
        parts: dict[str, Any] = {}
        values: dict[str, dict[str, Any]] = {o.id: {} for o in ORDER}
        for key, section in document.items():
            if key in ("recipe", "versions", "off"):
                continue
            if key not in STEPS or not isinstance(section, dict):
                if not newer:
                    raise RecipeError(f'recipe: there is no step "{key}".')
                parts[key] = section
                continue
            for name, value in section.items():
                owner = CONTROLS.get((key, name)) or retired.get((key, name))
                if owner is not None:
                    values[owner][name] = value
                elif newer:
                    parts.setdefault(key, {})[name] = value
                else:
                    raise RecipeError(f'{key}: there is no control "{name}".')
        parameters: dict[str, Parameters] = {}
        told: tuple[str, ...] = ()
        for operation in ORDER:
            given, sentences = operation.upgrade(versions.get(operation.id, operation.version), values[operation.id])
            parameters[operation.id], kept = _read(operation, given, number > FORMAT or operation.id in higher)
            told += sentences
            if kept:
                parts[operation.step] = {**parts.get(operation.step, {}), **kept}
        off = document.get("off", [])
        if not isinstance(off, list) or any(not isinstance(s, str) or (s not in STEPS and not newer) for s in off):
            raise RecipeError('recipe: "off" needs to be a list of step names.')
        return Recipe(parameters, frozenset(off), Newer(max(number, FORMAT), higher, parts), told)

    def to_document(self) -> dict[str, Any]:
        """JSON-ready document with every parameter, and what a newer program had written."""
        versions = {o.id: o.version for o in ORDER} | dict(self.newer.versions)
        document: dict[str, Any] = {"recipe": self.newer.format, "versions": versions}
        for operation in ORDER:
            values = self.parameters[operation.id].model_dump(mode="json")
            document.setdefault(operation.step, {}).update(values)
        for key, value in self.newer.parts.items():
            if isinstance(value, dict) and isinstance(document.get(key), dict):
                document[key].update(value)
            else:
                document[key] = value
        document["off"] = sorted(self.off)
        return document

    @property
    def notes(self) -> tuple[str, ...]:
        """Sentences about what does not show, or not as it did where the document was written."""
        note = self.newer.note()
        return (note, *self.upgraded) if note else self.upgraded

    def with_values(self, changes: dict[str, dict[str, Any]]) -> "Recipe":
        """Copy with some controls changed (step -> control -> value); raises :class:`RecipeError`."""
        grouped: dict[str, dict[str, Any]] = {}
        for step, controls in changes.items():
            for name, value in controls.items():
                owner = CONTROLS.get((step, name))
                if owner is None:
                    known = sorted(n for s, n in CONTROLS if s == step)
                    hint = f"It has {', '.join(known)}." if known else f"The steps are {', '.join(STEPS)}."
                    raise RecipeError(f'There is no control "{step}.{name}". {hint}')
                grouped.setdefault(owner, {})[name] = value
        parameters = dict(self.parameters)
        for operation in ORDER:
            if operation.id in grouped:
                merged = {**self.parameters[operation.id].model_dump(), **grouped[operation.id]}
                try:
                    parameters[operation.id] = operation.parameters.model_validate(merged)
                except ValidationError as error:
                    raise RecipeError(_sentence(error, operation.step)) from error
        newer = self.newer
        for step, controls in changes.items():
            for name in controls:
                newer = newer.without(step, name)
        return replace(self, parameters=parameters, newer=newer)

    def with_switch(self, step: str, on: bool) -> "Recipe":
        """Copy with a whole step switched on or off."""
        if step not in STEPS:
            raise RecipeError(f'There is no step "{step}". The steps are {", ".join(STEPS)}.')
        return replace(self, off=self.off - {step} if on else self.off | {step})

    def value(self, step: str, name: str) -> Any:
        """One control's value."""
        return getattr(self.parameters[CONTROLS[step, name]], name)

    def framing(self) -> tuple[Any, ...]:
        """Everything that decides which pixels the finished picture has."""
        return ("framing" in self.off, *(self.parameters[o.id] for o in ORDER if o.step == "framing"))

    def effective(self) -> "Recipe":
        """The recipe with switched-off steps at neutral; what belongs to the rendering stays."""
        if not self.off:
            return self
        parameters = {o.id: o.neutral() if o.step in self.off and not o.rendering else self.parameters[o.id] for o in ORDER}
        return replace(self, parameters=parameters, off=frozenset())
