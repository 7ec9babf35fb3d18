"""``develop``: one file, or many into a folder in one process."""

import argparse
import gc
import sys
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from zincplate.cli.usage import BadUsage, lenses
from zincplate.formats.errors import FileError, Told
from zincplate.formats.isolated import Decoder

if TYPE_CHECKING:
    from zincplate.formats.decoded import Decoded
    from zincplate.render.develop import Delivery
    from zincplate.render.render import Renderer

_OPTIONS = {"space": "space", "bits": "depth", "long_edge": "long-edge", "quality": "quality", "file_format": "output"}
"""Names of a delivery's settings on the command line."""


def develop(arguments: argparse.Namespace) -> int:
    """Develops what was named; the exit code says whether all went well. A bad file among many is told and the others go on."""
    # what is loaded stays: looking through it for what is not used any more costs a twentieth of a picture
    gc.disable()
    # the child loads its libraries, and reads the file, while this process loads the engine
    decoder = Decoder()
    paths: Sequence[Path] = arguments.input
    reading = decoder.ahead(paths[0])
    into_folder = len(paths) > 1 or arguments.output.is_dir()
    if into_folder and arguments.output.exists() and not arguments.output.is_dir():
        raise BadUsage(f"--output {arguments.output}: Several files need a folder.")
    outputs = _names(paths, arguments.output, _ending(arguments.format)) if into_folder else [arguments.output]
    delivery = _delivery(arguments, outputs[0])

    from zincplate.render.render import Renderer

    gc.freeze()
    gc.enable()
    renderer = Renderer(decoder, lenses(arguments))
    if not into_folder:
        _one(arguments, renderer, delivery, paths[0], outputs[0], reading)
        return 0
    arguments.output.mkdir(parents=True, exist_ok=True)
    failed = 0
    for i, (path, output) in enumerate(zip(paths, outputs, strict=True)):
        now, reading = reading, decoder.ahead(paths[i + 1]) if i + 1 < len(paths) else reading
        try:
            _one(arguments, renderer, delivery, path, output, now)
        except Told as error:
            failed += 1
            print(error, file=sys.stderr)
    if failed:
        print(f"{len(paths) - failed} of {len(paths)} files developed.", file=sys.stderr)
    return 1 if failed else 0


def _names(paths: Sequence[Path], folder: Path, ending: str) -> list[Path]:
    """A name for each file; of equal ones the later are numbered."""
    taken: set[str] = set()
    names = []
    for path in paths:
        number, name = 1, f"{path.stem}{ending}"
        while name.lower() in taken:
            number += 1
            name = f"{path.stem}-{number}{ending}"
        taken.add(name.lower())
        names.append(folder / name)
    return names


def _ending(name: str) -> str:
    """Of files of a format; raises :class:`BadUsage`."""
    from zincplate.formats.encode import FORMATS

    if name not in FORMATS:
        raise BadUsage(f"--format {name}: There are {', '.join(FORMATS)}.")
    return FORMATS[name].endings[0]


def _delivery(arguments: argparse.Namespace, output: Path) -> "Delivery":
    from zincplate.formats.encode import FORMATS
    from zincplate.recipe.document import RecipeError
    from zincplate.render.develop import Delivery, DeliveryError, format_of

    try:
        file_format = format_of(output)
        bits = arguments.depth or FORMATS[file_format].bits[0]
        delivery = Delivery(file_format, arguments.space, bits, arguments.long_edge, arguments.quality)
        return replace(delivery, location=not arguments.no_location).checked()
    except DeliveryError as error:
        given = getattr(arguments, _OPTIONS[error.setting].replace("-", "_"))
        raise BadUsage(f"--{_OPTIONS[error.setting]} {given}: {error}") from error
    except RecipeError as error:
        raise BadUsage(str(error)) from error


def _one(
    arguments: argparse.Namespace,
    renderer: "Renderer",
    delivery: "Delivery",
    path: Path,
    output: Path,
    reading: Callable[[], "Decoded"],
) -> None:
    from zincplate.cli.recipes import recipe_of
    from zincplate.core.colour.colour_spaces import SPACES
    from zincplate.formats.encode import write_whole
    from zincplate.recipe.document import RecipeError
    from zincplate.render.develop import develop as developed
    from zincplate.render.finders import notes_of_areas
    from zincplate.sources.file import Source

    if output.exists() and not arguments.overwrite:
        raise FileError(output, "A file of this name is already there; add --overwrite to replace it.")
    if output.exists() and path.exists() and output.samefile(path):
        raise FileError(output, "This is the original; originals are never written.")
    source = Source(reading())
    recipe = recipe_of(arguments, source.raw)
    try:
        data, (width, height) = developed(renderer, source, recipe, delivery)
    except RecipeError as error:
        raise FileError(path, str(error)) from error
    write_whole(output, data, overwrite=arguments.overwrite)
    framed = renderer.framed(*renderer.repaired(source, str(path), recipe), source.plan(recipe).frame)
    notes = [*source.notes, *framed.notes(), *framed.source.notes_of_repairs(), *notes_of_areas(source, recipe), *recipe.notes]
    if recipe.value("framing", "lens_profile") == "auto" and not framed.profile:
        notes.append("No lens profile is known to fit this file, so none was used. --lenses names a folder with more.")
    for note in notes:
        print(f"{path.name}: {note}", file=sys.stderr)
    print(f"{output}: {width} x {height}, {delivery.bits} bit, {SPACES[delivery.space].name}, {len(data) / 1e6:.1f} MB")
