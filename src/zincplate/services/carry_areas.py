"""Carrying passes whose areas are found again in every frame, and dust that is looked for again: a job, since
looking takes a second for each."""

from typing import Any

from zincplate.formats.errors import FileError
from zincplate.recipe.document import Recipe
from zincplate.recipe.pass_carry import is_found
from zincplate.render.finders import found_again
from zincplate.render.mending import dust_again
from zincplate.services import carry
from zincplate.services.carry import Carry
from zincplate.services.context import Context, Progress, UserError
from zincplate.services.job_kinds import Arguments, JobKind
from zincplate.services.originals import original_path
from zincplate.services.versions import get as get_version
from zincplate.store.models import Job


class CarryFound(Arguments):
    """What :class:`Carry` asks for, as JSON."""

    asked: dict[str, Any]


def _carry(context: Context, job: Progress, arguments: CarryFound) -> dict[str, Any]:
    """Job: looks on each frame, then carries as one step. Run again it finds its step by the request's key."""
    asked = Carry.model_validate(arguments.asked)
    assert asked.source is not None
    source = Recipe.from_document(get_version(asked.source).recipe)
    repairs = [r.model_dump(mode="json") for r in source.value("repair", "repairs")]
    told: list[str] = []
    targets = []
    for done, target in enumerate(asked.targets):
        frame = get_version(target.version).frame
        job.progress(done / max(len(asked.targets), 1), f"{frame.name}, {done + 1} of {len(asked.targets)}")
        try:
            opened = context.renderer.open(original_path(context.home, frame), frame.content_hash)
            values = dict(target.values)
            sentences: list[str] = []
            if "passes" in asked.operations:
                recipe, sentences = found_again(context.renderer, opened, frame.content_hash, source)
                values["passes"] = recipe.parameters["passes"].model_dump(mode="json")
            if "repairs" in asked.operations:
                again, more = dust_again(context.renderer, opened, frame.content_hash, repairs)
                values["repair"], sentences = {"repairs": again}, [*sentences, *more]
        except FileError as error:
            told.append(f"{frame.name}: {error.reason}")
            continue
        told += [f"{frame.name}: {sentence}" for sentence in sentences]
        targets.append(target.model_copy(update={"values": values}))
    if not targets:
        raise UserError("None of the frames could be opened. " + " ".join(told[:3]))
    done_step = carry.carry(context, asked.model_copy(update={"targets": targets}))
    return {**done_step, "told": told}


KIND = JobKind("carry", CarryFound, _carry)


def start(context: Context, asked: Carry) -> Job:
    """Starts it; raises :class:`UserError` when nothing of the source's passes was found."""
    if asked.source is None or not {"passes", "repairs"} & set(asked.operations):
        raise UserError("Only passes and repairs of a frame are found again.")
    version = get_version(asked.source)
    recipe = Recipe.from_document(version.recipe)
    areas = "passes" in asked.operations and any(is_found(p.model_dump()) for p in recipe.value("passes", "passes"))
    dusty = "repairs" in asked.operations and any(r.kind == "spot" for r in recipe.value("repair", "repairs"))
    if not areas and not dusty:
        raise UserError("Nothing of what is carried was found: neither an area of a pass nor a spot of dust.")
    what = "passes" if not dusty else "repairs" if not areas else "passes and repairs"
    title = f"Carry {what} from {version.frame.name} to {len(asked.targets)} frames"
    return KIND.submit(context, title, CarryFound(asked=asked.model_dump(mode="json")), asked.request_key)
