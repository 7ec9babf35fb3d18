"""The light of frames: the fit check, and evening out."""

from collections.abc import Sequence
from typing import Any

from zincplate.core.colour.temperature import white_point_xy
from zincplate.formats.errors import FileError
from zincplate.recipe.document import Recipe
from zincplate.render import even, fit
from zincplate.render.fit import XY
from zincplate.render.light_plate import LightPlate
from zincplate.services.context import Context, Progress, UserError
from zincplate.services.job_kinds import Arguments, JobKind
from zincplate.services.plates import plate_of
from zincplate.store.models import Frame, Version


def white_of(recipe: Recipe, plate: LightPlate) -> XY:
    """White point under which a recipe shows a frame."""
    kelvin, tint = plate.as_shot
    if "balance" in recipe.off:
        return plate.settings.as_shot_xy
    own_kelvin, own_tint = recipe.value("balance", "temperature_kelvin"), recipe.value("balance", "tint")
    if own_kelvin is None and own_tint is None:
        return plate.settings.as_shot_xy
    return white_point_xy(kelvin if own_kelvin is None else own_kelvin, tint if own_tint is None else own_tint)


class Compare(Arguments):
    """Versions held against one of them."""

    source: int
    versions: tuple[int, ...]
    balance: bool = True
    shoot_id: int = 0


Refused = list[dict[str, Any]]


def _loaded(
    context: Context, job: Progress, arguments: Compare
) -> tuple[Version, LightPlate, list[Version], list[LightPlate], Refused]:
    rows = list(Version.select(Version, Frame).join(Frame).where(Version.id.in_([arguments.source, *arguments.versions])))
    known = {v.id: v for v in rows}
    source = known.get(arguments.source)
    if source is None:
        raise UserError("The frame to compare with is not there any more.")
    reference = plate_of(context, source.frame)
    wanted = [known[i] for i in dict.fromkeys(arguments.versions) if i in known and i != source.id]
    versions: list[Version] = []
    plates: list[LightPlate] = []
    refused: Refused = []
    for done, version in enumerate(wanted):
        job.progress(0.6 * done / max(len(wanted), 1), f"{version.frame.name}, {done + 1} of {len(wanted)}")
        try:
            plates.append(plate_of(context, version.frame))
            versions.append(version)
        except FileError as error:
            refused.append({"version": version.id, "reason": error.reason})
    return source, reference, versions, plates, refused


class _Breath:
    """Says how far a comparison is, between its parts."""

    def __init__(self, job: Progress, parts: int) -> None:
        self._job, self._parts, self._done = job, max(parts, 1), 0

    def __call__(self) -> None:
        self._done += 1
        if self._done % 8 == 0:
            self._job.progress(0.6 + 0.4 * min(self._done / self._parts, 1), "comparing")


def _fit(context: Context, job: Progress, arguments: Compare) -> dict[str, Any]:
    """Job: the fit check, with each frame's own correction: what its exposure and balance would be."""
    source, reference, versions, plates, refused = _loaded(context, job, arguments)
    recipe = Recipe.from_document(source.recipe)
    named = recipe.value("balance", "temperature_kelvin") is not None or recipe.value("balance", "tint") is not None
    white = white_of(recipe, reference) if named and "balance" not in recipe.off else None
    links = fit.connected(reference, plates, _Breath(job, len(plates)))
    found = fit.check(reference, plates, white, links)
    own = _evened(reference, recipe, plates, versions, links, True)
    rows = [
        {
            "version": version.id,
            "fits": f.fits,
            "exposure_ev": round(f.exposure_ev, 2),
            "mired": round(f.mired),
            "tint": round(f.tint),
            "measured": f.measured,
            "likeness": round(f.likeness, 2),
            "reasons": list(f.reasons),
            "own": _values(e),
        }
        for version, f, e in zip(versions, found, own, strict=True)
    ]
    return {"rows": rows, "refused": refused}


def _evened(
    reference: LightPlate,
    recipe: Recipe,
    plates: Sequence[LightPlate],
    versions: Sequence[Version],
    links: Sequence[fit.Link],
    balance: bool,
) -> list[even.Evened]:
    whites = [white_of(Recipe.from_document(v.recipe), p) for v, p in zip(versions, plates, strict=True)]
    return even.even(
        reference,
        plates,
        whites,
        reference_white=white_of(recipe, reference),
        reference_ev=float(recipe.value("tone", "exposure_ev")) if "tone" not in recipe.off else 0.0,
        balance=balance,
        links=links,
    )


def _values(found: even.Evened) -> dict[str, dict[str, float]]:
    """What evening out sets, as the recipe writes it."""
    values: dict[str, dict[str, float]] = {}
    if found.exposure_ev is not None:
        values["tone"] = {"exposure_ev": found.exposure_ev}
    if found.temperature_kelvin is not None and found.tint is not None:
        values["balance"] = {"temperature_kelvin": found.temperature_kelvin, "tint": found.tint}
    return values


def _even(context: Context, job: Progress, arguments: Compare) -> dict[str, Any]:
    """Job: what would make each frame look like the reference."""
    source, reference, versions, plates, refused = _loaded(context, job, arguments)
    links = fit.connected(reference, plates, _Breath(job, len(plates)))
    found = _evened(reference, Recipe.from_document(source.recipe), plates, versions, links, arguments.balance)
    rows = [
        {"version": v.id, "values": _values(e), "left_over_ev": round(e.left_over_ev, 3), "reason": e.reason}
        for v, e in zip(versions, found, strict=True)
    ]
    return {"rows": rows, "refused": refused}


FIT = JobKind("fit", Compare, _fit)
EVEN = JobKind("even", Compare, _even)
