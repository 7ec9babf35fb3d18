"""``area``: where a pass acts, or what can be found on a file, as a grey picture of 16 bits."""

import argparse
import sys

import imagecodecs
import numpy as np

from zincplate.cli.recipes import recipe_of
from zincplate.cli.usage import BadUsage, lenses
from zincplate.formats.encode import write_whole
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder


def area(arguments: argparse.Namespace) -> int:
    """Writes the area of ``--name``'s pass, or of what ``--find`` names, over the finished picture."""
    from zincplate.recipe.document import RecipeError
    from zincplate.render.finders import find, whole_area
    from zincplate.render.render import Renderer

    path, output = arguments.input, arguments.output
    if (arguments.name is None) == (arguments.find is None):
        raise BadUsage("area: name a pass by --pass, or what is to be found by --find.")
    if output.suffix.lower() != ".png":
        raise BadUsage(f"--output {output}: An area is written as PNG; give a name that ends in .png.")
    if output.exists() and not arguments.overwrite:
        raise FileError(output, "A file of this name is already there; add --overwrite to replace it.")
    renderer = Renderer(Decoder(), lenses(arguments))
    key = str(path)
    source = renderer.open(path, key)
    recipe = recipe_of(arguments, source.raw)
    try:
        if arguments.find is not None:
            found = find(renderer, source, key, arguments.find)
            term = {"kind": "found", "what": found.what, "sure": round(100 * found.sure), "raster": found.raster}
            recipe = recipe.with_values({"passes": {"passes": [{"name": found.what, "area": {"terms": [term]}}]}})
            print(f"{path.name}: {found.what} found, {found.sure:.0%} sure", file=sys.stderr)
        values = whole_area(renderer, source, key, recipe, arguments.name or arguments.find)
    except RecipeError as error:
        raise FileError(path, str(error)) from error
    codes = np.rint(np.clip(values, 0, 1) * 65535).astype(np.uint16)
    write_whole(output, imagecodecs.png_encode(codes), overwrite=arguments.overwrite)
    print(f"{output}: {values.shape[1]} x {values.shape[0]}, 16 bit grey, covers {values.mean():.1%}")
    return 0
