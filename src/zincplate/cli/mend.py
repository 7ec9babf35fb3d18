"""``mend``: dust that is found, and fills of removals, written into a recipe."""

import argparse
import json
import sys

from zincplate.cli.recipes import recipe_of
from zincplate.cli.usage import BadUsage, lenses
from zincplate.formats.encode import write_whole
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder


def mend(arguments: argparse.Namespace) -> int:
    """Writes the recipe with all dust mended that is at least so sure (``--dust``), and removals filled (``--fill``)."""
    from zincplate.recipe.document import RecipeError
    from zincplate.recipe.repair_words import repairs_in_short
    from zincplate.render.beyond import outlines_beyond
    from zincplate.render.mending import as_items, fill_for, find_dust
    from zincplate.render.render import Renderer

    path, output = arguments.input, arguments.output
    if arguments.dust is None and not arguments.fill and not arguments.beyond:
        raise BadUsage("mend: say --dust, --beyond, --fill or several of them.")
    if output.exists() and not arguments.overwrite:
        raise FileError(output, "A file of this name is already there; add --overwrite to replace it.")
    renderer = Renderer(Decoder(), lenses(arguments))
    key = str(path)
    source = renderer.open(path, key)
    recipe = recipe_of(arguments, source.raw)
    repairs = [r.model_dump() for r in recipe.value("repair", "repairs")]
    try:
        if arguments.dust is not None:
            found = find_dust(renderer, source, key, recipe, arguments.light_too, arguments.dust / 100)
            recipe = recipe.with_values({"repair": {"repairs": [*repairs, *as_items(found)]}})
            print(f"{path.name}: {len(found)} spots of dust mended", file=sys.stderr)
        if arguments.beyond:
            repairs = [r.model_dump() for r in recipe.value("repair", "repairs")]
            added = [{"kind": "removal", "outline": o} for o in outlines_beyond(renderer, source, key, recipe)]
            recipe = recipe.with_values({"repair": {"repairs": [*repairs, *added]}})
        if arguments.fill:
            for one in recipe.value("repair", "repairs"):
                if one.kind != "removal" or one.fill:
                    continue
                text = fill_for(renderer, source, key, recipe, one.id)
                done = [
                    {**r.model_dump(), **({"fill": text} if r.id == one.id else {})} for r in recipe.value("repair", "repairs")
                ]
                recipe = recipe.with_values({"repair": {"repairs": done}})
    except RecipeError as error:
        raise FileError(path, str(error)) from error
    text = json.dumps(recipe.to_document(), indent=1)
    write_whole(output, text.encode(), overwrite=arguments.overwrite)
    print(f"{output}: {repairs_in_short(recipe.value('repair', 'repairs'))}, {len(text) / 1e3:.0f} kB")
    return 0
