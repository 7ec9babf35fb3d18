"""``fit``, ``even`` and ``preset``: what works on several files, without a database."""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

from zincplate.cli.recipes import recipe_file
from zincplate.cli.usage import BadUsage
from zincplate.core.colour.temperature import white_point_xy
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder
from zincplate.recipe.document import RecipeError
from zincplate.recipe.preset import OWN, Preset, touched
from zincplate.render.even import even as evened
from zincplate.render.even import middle
from zincplate.render.fit import check
from zincplate.render.light_plate import LightPlate, light_plate
from zincplate.sources.file import Source


def _plates(decoder: Decoder, paths: list[Path]) -> list[LightPlate]:
    """Plates of files; the next one is read while one is measured."""
    plates = []
    reading = decoder.ahead(paths[0])
    for i in range(len(paths)):
        decoded = reading()
        if i + 1 < len(paths):
            reading = decoder.ahead(paths[i + 1])
        plates.append(light_plate(Source(decoded)))
    return plates


def fit(arguments: argparse.Namespace) -> None:
    """What each frame differs by from the source after its exposure settings: lighter, warmer and greener are positive."""
    source, *frames = _plates(Decoder(), [arguments.input, *arguments.frames])
    recipe = recipe_file(arguments.recipe, source.settings.raw)
    white = None
    kelvin, tint = recipe.value("balance", "temperature_kelvin"), recipe.value("balance", "tint")
    if (kelvin is not None or tint is not None) and "balance" not in recipe.off:
        own_kelvin, own_tint = source.as_shot
        white = white_point_xy(own_kelvin if kelvin is None else kelvin, own_tint if tint is None else tint)
    rows: list[dict[str, Any]] = [
        {
            "name": path.name,
            "fits": found.fits,
            "exposure_ev": round(found.exposure_ev, 3),
            "mired": round(found.mired, 1),
            "tint": round(found.tint, 1),
            "reasons": list(found.reasons),
        }
        for path, found in zip(arguments.frames, check(source, frames, white), strict=True)
    ]
    if arguments.json:
        print(json.dumps({"frames": rows}, indent=1, ensure_ascii=False))
        return
    for row in rows:
        print(f"{row['name']}: {'fits' if row['fits'] else 'does not fit'}. {'; '.join(row['reasons']) or 'The same light'}.")


def even(arguments: argparse.Namespace) -> None:
    """What to set on each frame so that all look like the reference."""
    names = [path.name for path in arguments.frames]
    plates = _plates(Decoder(), arguments.frames)
    if arguments.reference is None:
        at = middle(plates)
    elif arguments.reference in names or Path(arguments.reference) in arguments.frames:
        at = names.index(Path(arguments.reference).name)
    else:
        raise BadUsage(f"--reference {arguments.reference}: It is none of the frames.")
    whites = [p.settings.as_shot_xy for p in plates]
    found = evened(plates[at], plates, whites, reference_white=whites[at], balance=not arguments.exposure_only)
    rows: list[dict[str, Any]] = []
    for i, (name, values) in enumerate(zip(names, found, strict=True)):
        settings: dict[str, float] = {}
        if i != at and values.exposure_ev is not None:
            settings["tone.exposure_ev"] = values.exposure_ev
            if values.temperature_kelvin is not None and values.tint is not None:
                settings |= {"balance.temperature_kelvin": values.temperature_kelvin, "balance.tint": values.tint}
        row: dict[str, Any] = {"name": name, "set": settings, "left_over_ev": 0.0 if i == at else round(values.left_over_ev, 3)}
        if values.reason:
            row["reason"] = values.reason
        rows.append(row)
    if arguments.json:
        print(json.dumps({"frames": rows}, indent=1, ensure_ascii=False))
        return
    for i, row in enumerate(rows):
        settings_text = " ".join(f"--set {key}={value:g}" for key, value in row["set"].items())
        print(f"{row['name']}: {'the reference' if i == at else row.get('reason') or settings_text}")


def preset(arguments: argparse.Namespace) -> None:
    """Lists the presets that ship with the application, shows one, or makes one of a recipe."""
    try:
        if arguments.recipe is not None:
            made = _made(arguments)
        elif arguments.name is None:
            _list(arguments.json)
            return
        else:
            made = _named(arguments.name)
        if arguments.strength != 1:
            made = Preset(made.name, made.at(arguments.strength), made.folder, made.note)
    except RecipeError as error:
        raise BadUsage(str(error)) from error
    if arguments.output is not None:
        from zincplate.formats.encode import write_whole

        write_whole(arguments.output, made.to_json().encode())
        print(arguments.output)
    else:
        print(made.to_json(), end="")


def _made(arguments: argparse.Namespace) -> Preset:
    recipe = recipe_file(arguments.recipe, raw=True)
    operations = arguments.only or touched(recipe, raw=True)
    return Preset.of(arguments.name or arguments.recipe.stem, recipe, operations)


def _named(name: str) -> Preset:
    for own in OWN:
        if own.name.lower() == name.lower():
            return own
    path = Path(name)
    if not path.exists():
        raise BadUsage(f'There is no preset "{name}". There are {", ".join(own.name for own in OWN)}; or name a file.')
    try:
        return Preset.from_json(path.read_bytes())
    except RecipeError as error:
        raise FileError(path, str(error)) from error


def _list(as_json: bool) -> None:
    if as_json:
        print(json.dumps({"presets": [own.to_document() for own in OWN]}, indent=1, ensure_ascii=False))
        return
    for own in OWN:
        print(f"{own.name}: {own.note}", file=sys.stdout)
