"""What repairs are made of: where a spot is best taken from, all dust of a frame, fills of removals, a picked colour."""

from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zincplate.core.repair import dust
from zincplate.core.repair.healing import to_roots
from zincplate.core.repair.source_search import candidates
from zincplate.ops.drawn_places import POINT_SCALE
from zincplate.ops.repair.repairs import MOST_REPAIRS
from zincplate.plan.repairs import RepairPlan
from zincplate.recipe.document import Recipe, RecipeError
from zincplate.render.render import Renderer
from zincplate.sources.file import Source
from zincplate.sources.rect import Rect
from zincplate.sources.repaired import COVERED, Mended

Float32 = NDArray[np.float32]

SEARCH_TIMES, LEAST_SEARCH_PX, MOST_SEARCH_PX = 4.0, 60, 900
"""How far about a place is looked for where to take it from, in its own sizes."""
MOST_CANDIDATES = 12
LARGE_PX = 9_000_000
"""Of a larger frame dust is looked for at half its size."""
GREY = (0.25, 0.5, 0.25)
LEAST_AGAIN, NEAR_TIMES, NEAR_PX = 0.2, 1.0, 4.0
"""What may pass for dust where dust is known to lie, and how far from there, in its radii and in pixels."""
ROOM = 1.45
"""A spot is mended a little larger than it is."""
NOTHING = "There is nothing around this place that could be taken. Choose by hand where it comes from."
NO_DUST = "No dust was found on this frame."


@dataclass(frozen=True)
class Candidate:
    """From a place to where it may be taken from, in long edges; the cost is in the variance of the place's own surroundings."""

    dx: float
    dy: float
    cost: float


@dataclass(frozen=True)
class FoundSpot:
    """Dust: middle and diameter in long edges of the upright frame, the chance that it is dust, and where to take it from."""

    x: float
    y: float
    size: float
    chance: float
    dx: float
    dy: float


def numbered(recipe: Recipe, name: str) -> tuple[Recipe, int]:
    """The recipe with one repair acting in full, and its number among those that act; raises :class:`RecipeError`."""
    repairs = recipe.value("repair", "repairs")
    at = next((i for i, r in enumerate(repairs) if r.id == name), None)
    if at is None:
        raise RecipeError("This repair is not there any more.")
    whole = recipe.with_switch("repair", True)
    shown = [r.model_dump() for r in repairs]
    shown[at] = {**shown[at], "on": True, "strength": 100}
    number = sum(1 for r in repairs[:at] if r.on and r.strength > 0)
    return whole.with_values({"repair": {"repairs": shown}}), number


def sources_for(renderer: Renderer, source: Source, key: str, recipe: Recipe, name: str) -> list[Candidate]:
    """Where one repair of a recipe may be taken from, the best first; raises :class:`RecipeError` when there is nothing."""
    recipe, number = numbered(recipe, name)
    plan = source.plan(recipe).repairs[number]
    mended = renderer.mended(source, key, recipe)
    hot = source.plan(recipe).plate.hot_pixels
    found = renderer.on_render_thread(lambda: _candidates(source, mended, number, plan, hot, MOST_CANDIDATES))
    if not found:
        raise RecipeError(NOTHING)
    return found


def _searched(source: Source, target: Rect) -> Rect:
    """Where it is looked for what a place may be taken from."""
    around = int(np.clip(SEARCH_TIMES * max(target.w, target.h), LEAST_SEARCH_PX, MOST_SEARCH_PX))
    return target.grown(around).within(Rect(0, 0, source.width, source.height))


def _candidates(source: Source, mended: Mended, number: int, plan: RepairPlan, hot: bool, most: int) -> list[Candidate]:
    target = mended.target(plan)
    if target.empty:
        return []
    region = _searched(source, target)
    planes = np.array(source.window(region.x, region.y, region.w, region.h, hot), np.float32, order="C")
    mended.over(planes, region, hot, None, number)
    roots = to_roots(planes, source.root_shift)
    spot = mended.cover(replace(plan, strength=1.0), region) > COVERED
    limits = source.white_limits[:, None, None]
    usable = ~np.asarray((planes >= limits).any(0), np.bool_)
    if (planes[:, spot] >= limits[:, 0]).any():
        usable[:] = True
    long_edge = max(source.width, source.height)
    return [Candidate(dx / long_edge, dy / long_edge, cost) for dy, dx, cost in candidates(roots, spot, usable, most)]


def fill_for(renderer: Renderer, source: Source, key: str, recipe: Recipe, name: str) -> str:
    """The fill of a removal, looked for with all care; raises :class:`RecipeError` with a sentence. Kept for a while: results are
    stepped to and fro, and a page that was read again asks once more."""
    recipe, number = numbered(recipe, name)
    plan = source.plan(recipe)
    if plan.repairs[number].kind != "removal":
        raise RecipeError("Only a removal is filled.")
    plain = replace(plan.repairs[number], fill="")
    repairs = (*plan.repairs[:number], plain)
    mended = Mended(source, key, repairs, renderer.repairs_kept, False, small=renderer.small)
    hot = plan.plate.hot_pixels

    stage = (key, "fill", mended.named(number), hot)

    def work() -> str:
        if known := renderer.repairs_kept.kept(stage, ""):
            return str(known)
        try:
            found = mended.fill_of(number, hot, None, renderer.breathe)
        except ValueError as error:
            raise RecipeError(f"This removal cannot be filled: {error}.") from error
        if not found:
            raise RecipeError("This removal lies beside the picture.")
        return renderer.repairs_kept.get(stage, lambda: found, len)

    return renderer.on_render_thread(work)


def colour_at(
    renderer: Renderer, source: Source, key: str, recipe: Recipe, place: tuple[float, float], radius_px: int
) -> list[float]:
    """Mean plate values (3) about a place in frame coordinates, as the recipe's repairs leave it."""
    long_edge = max(source.width, source.height)
    x, y = (int(v * long_edge) for v in place)
    rect = Rect(x - radius_px, y - radius_px, 2 * radius_px + 1, 2 * radius_px + 1).within(
        Rect(0, 0, source.width, source.height)
    )
    if rect.empty:
        raise RecipeError("That place lies outside the picture.")
    mended, _ = renderer.repaired(source, key, recipe)
    hot = source.plan(recipe).plate.hot_pixels
    planes = renderer.on_render_thread(lambda: mended.window(rect.x, rect.y, rect.w, rect.h, hot))
    return [round(float(v), 6) for v in planes.reshape(3, -1).mean(1)]


def find_dust(
    renderer: Renderer, source: Source, key: str, recipe: Recipe, light_too: bool = False, least_chance: float = 0.5
) -> list[FoundSpot]:
    """All dust that the recipe's repairs leave on a frame, the surest first; raises :class:`RecipeError` when there is none."""
    recipe = recipe.with_switch("repair", True)
    repaired, repaired_key = renderer.repaired(source, key, recipe)
    hot = source.plan(recipe).plate.hot_pixels
    found = _spots(renderer, repaired, hot, light_too, least_chance)
    if not found:
        raise RecipeError(NO_DUST)
    return [s for s in _with_sources(renderer, repaired, repaired_key, hot, found[:MOST_REPAIRS]) if s is not None]


def dust_again(
    renderer: Renderer, source: Source, key: str, repairs: list[dict[str, Any]]
) -> tuple[list[dict[str, Any]], list[str]]:
    """Repairs of another frame of the same camera, as this frame wants them: a spot stays only where something stands out here as
    well, with the size that it has here (a small aperture draws dust small and dark) and a source of this frame's own. Other
    kinds are as they were, without their fills. Sentences say what was left out."""
    recipe = Recipe.neutral(source.raw)
    hot = source.plan(recipe).plate.hot_pixels
    told: list[str] = []
    wanted = [r for r in repairs if r["kind"] == "spot"]
    here: list[dust.Spot] = _spots(renderer, source, hot, False, LEAST_AGAIN) if wanted else []
    long_edge = max(source.width, source.height)
    near: dict[str, dust.Spot] = {}
    for one in wanted:
        stroke = one["strokes"][0]
        x, y = (v / POINT_SCALE * long_edge for v in stroke["points"][:2])
        reach = max(NEAR_TIMES * stroke["size"] * long_edge / 2, NEAR_PX)
        around = [s for s in here if np.hypot(s.x - x, s.y - y) <= reach]
        if around:
            near[one["id"]] = min(around, key=lambda s: float(np.hypot(s.x - x, s.y - y)))
    if gone := len(wanted) - len(near):
        told.append(f"{gone} of {len(wanted)} spots {'is' if gone == 1 else 'are'} not seen here and left out.")
    placed = dict(zip(near, _with_sources(renderer, source, key, hot, list(near.values())), strict=True))
    out = []
    for one in repairs:
        spot = placed.get(one["id"])
        if one["kind"] != "spot":
            out.append({**one, "fill": ""})
        elif spot is not None:
            stroke = {
                **one["strokes"][0],
                "points": [round(spot.x * POINT_SCALE), round(spot.y * POINT_SCALE)],
                "size": spot.size,
            }
            out.append({**one, "dx": spot.dx, "dy": spot.dy, "candidate": 0, "strokes": [stroke]})
    return out, told


def _spots(renderer: Renderer, source: Source, hot: bool, light_too: bool, least_chance: float) -> list[dust.Spot]:
    """Spots of a whole frame in its own full-size pixels."""
    step = 2 if source.width * source.height > LARGE_PX else 1

    def look() -> list[dust.Spot]:
        grey, (left, top) = _grey(source, step, hot)
        found = dust.spots(grey, light_too, least_chance)
        seen = [replace(s, x=s.x * step + left, y=s.y * step + top, radius_px=s.radius_px * step) for s in found]
        judged = [s if light_too else replace(s, chance=s.chance * _like_a_shadow(source, s, hot)) for s in seen]
        return sorted((s for s in judged if s.chance >= least_chance), key=lambda s: -s.chance)

    return renderer.on_render_thread(look)


def _like_a_shadow(source: Source, spot: dust.Spot, hot: bool) -> float:
    around = int(2.5 * spot.radius_px) + 4
    x, y = int(spot.x), int(spot.y)
    rect = Rect(x - around, y - around, 2 * around + 1, 2 * around + 1).within(Rect(0, 0, source.width, source.height))
    planes = source.window(rect.x, rect.y, rect.w, rect.h, hot)
    return dust.shadow(planes, (spot.x - rect.x, spot.y - rect.y), spot.radius_px, source.white_limits)


def _with_sources(renderer: Renderer, source: Source, key: str, hot: bool, found: list[dust.Spot]) -> list[FoundSpot | None]:
    """Spots with where each is best taken from; None where there is nothing to take."""
    if not found:
        return []
    long_edge = max(source.width, source.height)
    places = [
        {
            "kind": "spot",
            "strokes": [
                {
                    "points": [round(s.x / long_edge * POINT_SCALE), round(s.y / long_edge * POINT_SCALE)],
                    "size": 2 * ROOM * s.radius_px / long_edge,
                    "hardness": 70,
                }
            ],
        }
        for s in found
    ]
    dusty = Recipe.neutral(source.raw).with_values({"repair": {"repairs": places}})
    plans = source.plan(dusty).repairs
    mended = Mended(source, key, plans, renderer.repairs_kept, True, small=renderer.small)
    out: list[FoundSpot | None] = []
    for spot, plan in zip(found, plans, strict=True):
        one, stroke = renderer.on_render_thread(partial(_away, source, mended, plans, plan, hot)), plan.strokes[0]
        out.append(FoundSpot(*stroke.places[0], stroke.size, round(spot.chance, 3), one.dx, one.dy) if one else None)
    return out


def _away(source: Source, mended: Mended, plans: tuple[RepairPlan, ...], plan: RepairPlan, hot: bool) -> Candidate | None:
    """Where one of many spots is taken from; places of the others are not clean."""
    target = mended.target(plan)
    if target.empty:
        return None
    region = _searched(source, target)
    roots = to_roots(source.window(region.x, region.y, region.w, region.h, hot), source.root_shift)
    usable = np.ones((region.h, region.w), np.bool_)
    for other in plans:
        at = mended.target(other).within(region)
        if not at.empty:
            usable[at.of(region)] = False
    spot = mended.cover(plan, region) > COVERED
    long_edge = max(source.width, source.height)
    found = candidates(roots, spot, usable | spot, 1)
    return Candidate(found[0][1] / long_edge, found[0][0] / long_edge, found[0][2]) if found else None


def _grey(source: Source, step: int, hot: bool) -> tuple[Float32, tuple[int, int]]:
    """(h, w) roots of light of the whole frame, its colours weighted, and where it begins; at full size in strips."""
    weights = np.asarray(GREY, np.float32)
    if step > 1:
        plate = source.reduced(step, hot)
        grey = np.asarray(np.tensordot(weights, to_roots(plate.planes, source.root_shift), 1), np.float32)
        return grey, (plate.origin_x, plate.origin_y)
    out = np.empty((source.height, source.width), np.float32)
    for y in range(0, source.height, 512):
        rows = min(512, source.height - y)
        out[y : y + rows] = np.tensordot(weights, to_roots(source.window(0, y, source.width, rows, hot), source.root_shift), 1)
    return out, (0, 0)


def as_items(found: list[FoundSpot]) -> list[dict[str, Any]]:
    """Found dust as repairs of a recipe (without ids)."""
    return [
        {
            "kind": "spot",
            "dx": s.dx,
            "dy": s.dy,
            "strokes": [{"points": [round(s.x * POINT_SCALE), round(s.y * POINT_SCALE)], "size": s.size, "hardness": 70}],
        }
        for s in found
    ]
