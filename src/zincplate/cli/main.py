"""``./zincplate COMMAND``. Exit 0 on success, 2 on bad usage, 1 with one clear line on bad input."""

import argparse
import json
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

from zincplate import __version__
from zincplate.formats.errors import FileError, Told

if TYPE_CHECKING:
    from zincplate.formats.lens_profiles import LensDatabase
    from zincplate.recipe.document import Recipe

# numpy takes a sixth of a second to load, the models of the recipe as long, the engine with its kernels a second: every command
# imports what it needs when it needs it.


class BadUsage(Exception):
    """Bad usage found after the arguments were parsed: exit code 2."""


_LENSES_HELP = "lens profiles (lensfun's XML) beside those that come with it"


def _parser(of: str = "") -> argparse.ArgumentParser:
    """The command line; what only the help of one command tells is loaded for that command."""
    spaces = "colour space of the delivery"
    if of == "develop":
        from zincplate.core.colour.colour_spaces import SPACES

        spaces = ", ".join(SPACES)
    parser = argparse.ArgumentParser(prog="zincplate", description="Develop raw camera files.")
    parser.add_argument("--version", action="version", version=f"Zincplate {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    for name, text in (("demo", "set up and start with demo data"), ("start", "start with your own library")):
        command = commands.add_parser(name, help=text)
        command.add_argument("--port", type=int, default=8700, help="port on 127.0.0.1 (8700)")
        if name == "demo":
            command.add_argument("--fresh", action="store_true", help="throw the demo's library away and begin anew")
    command = commands.add_parser("develop", help="develop one file")
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("-o", "--output", type=Path, required=True, metavar="OUT", help="its ending gives the format")
    command.add_argument("--recipe", type=Path, help="recipe as JSON; may hold only some steps")
    command.add_argument("--set", action="append", default=[], metavar="STEP.CONTROL=VALUE", help="change one control")
    command.add_argument("--long-edge", type=int, help="reduce to this many pixels; never enlarges")
    command.add_argument("--space", default="srgb", help=spaces)
    command.add_argument("--depth", type=int, help="8 or 16 bits per channel (8 for JPEG, 16 for TIFF, 8 for PNG)")
    command.add_argument("--quality", type=int, default=95, help="JPEG quality, 1 to 100")
    command.add_argument("--no-location", action="store_true", help="leave out where it was taken")
    command.add_argument("--overwrite", action="store_true", help="replace OUT if it is there")
    command.add_argument("--lenses", type=Path, metavar="FOLDER", help=_LENSES_HELP)
    command = commands.add_parser("suggest", help="measured proposals for balance and tone, or for framing, with reasons")
    command.add_argument("input", type=Path)
    command.add_argument("--of", choices=("whole", "framing"), default="whole", help="what to suggest (whole: balance and tone)")
    command.add_argument("--lenses", type=Path, metavar="FOLDER", help=_LENSES_HELP)
    command.add_argument("--json", action="store_true", help="as JSON")
    command = commands.add_parser("info", help="facts of a file")
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("--json", action="store_true")
    commands.add_parser("schema", help="the recipe's JSON schema")
    command = commands.add_parser("verify", help="hold originals, their list, recipes and deliveries against each other")
    command.add_argument("--json", action="store_true")
    command.add_argument("--repair", action="store_true", help="rebuild the list and the readable recipes from the database")
    command = commands.add_parser("drill", help="kill its processes at random under a scripted user, in a home of its own")
    command.add_argument("--minutes", type=float, default=5.0, help="how long (5)")
    command.add_argument("--seed", type=int, default=1, help="who is killed when (1)")
    command.add_argument("--port", type=int, default=8790, help="port on 127.0.0.1 (8790)")
    command = commands.add_parser("bench", help="timed work, as ratios to a memory copy and to reference libraries")
    command.add_argument("--json", action="store_true")
    command.add_argument("--quick", action="store_true", help="6 megapixels instead of 24")
    command = commands.add_parser("card", help="write the demo's memory card into a folder")
    command.add_argument("folder", type=Path)
    command.add_argument("--time", action="store_true", help="say when each file was complete, and the size of all")
    commands.add_parser("warm", help="compile the kernels")
    commands.add_parser("openapi", help="the API's OpenAPI document")
    commands.add_parser("types", help="the page's generated TypeScript")
    return parser


_OPTIONS = {"space": "space", "bits": "depth", "long_edge": "long-edge", "quality": "quality", "file_format": "output"}
"""Names of a delivery's settings on the command line."""
_OF_A_CROP = ("crop_x", "crop_y", "crop_width", "crop_height")


def _setting(text: str) -> tuple[str, str, Any]:
    """``tone.exposure_ev=0.5`` -> (step, control, value); values are JSON, or plain words."""
    left, equals, right = text.partition("=")
    step, dot, control = left.strip().partition(".")
    if not equals or not dot or not step or not control:
        raise BadUsage(f'--set {text}: write STEP.CONTROL=VALUE, for example "tone.exposure_ev=0.5".')
    from zincplate.recipe.document import CONTROLS

    owner = CONTROLS.get((step, control))
    if owner is not None and _kind(owner, control) == "choice":
        return step, control, right.strip().strip('"')  # a word also where it looks like a number
    try:
        value = json.loads(right)
    except json.JSONDecodeError:
        value = right.strip()
    return step, control, value


def _kind(operation_id: str, control: str) -> str:
    """What a control is: gauge, choice, switch and so on."""
    from zincplate.ops.order import ORDER

    operation = next(o for o in ORDER if o.id == operation_id)
    extra = operation.parameters.model_fields[control].json_schema_extra
    ui: Any = extra.get("x-ui", {}) if isinstance(extra, dict) else {}
    return str(ui.get("kind", ""))


def _check_crop(recipe: "Recipe", given: list[str]) -> None:
    """A part of a crop does nothing without the rest: that is said instead of passed over."""
    names = [name for name in _OF_A_CROP if f"framing.{name}" in given]
    if names and not (recipe.value("framing", "crop_width") and recipe.value("framing", "crop_height")):
        missing = [n for n in ("crop_width", "crop_height") if not recipe.value("framing", n)]
        raise BadUsage(f"--set framing.{names[0]}: a crop needs {' and '.join(missing)} too (of the long edge, 0.005 to 4).")


def _recipe(arguments: argparse.Namespace, raw: bool) -> "Recipe":
    from zincplate.recipe.document import Recipe, RecipeError

    recipe = Recipe.neutral(raw)
    if arguments.recipe is not None:
        try:
            document = json.loads(arguments.recipe.read_text(encoding="utf-8"))
        except OSError as error:
            raise FileError(arguments.recipe, f"It could not be read: {error.strerror}.") from error
        except (json.JSONDecodeError, UnicodeDecodeError) as error:
            raise FileError(arguments.recipe, f"This is not JSON: {error}.") from error
        if isinstance(document, dict) and isinstance(document.get("recipe"), dict):
            document = document["recipe"]  # the readable copy that the library keeps
        try:
            base = recipe.to_document()
            if isinstance(document, dict):
                for key, section in document.items():
                    if isinstance(section, dict) and isinstance(base.get(key), dict):
                        document[key] = {**base[key], **section}
                document = {**base, **document}
            recipe = Recipe.from_document(document)
        except RecipeError as error:
            raise FileError(arguments.recipe, str(error)) from error
    for text in arguments.set:
        step, control, value = _setting(text)
        try:
            recipe = recipe.with_values({step: {control: value}})
        except RecipeError as error:
            raise BadUsage(f"--set {text}: {error}") from error
    _check_crop(recipe, [text.partition("=")[0].strip() for text in arguments.set])
    return recipe


def _develop(arguments: argparse.Namespace) -> None:
    from zincplate.formats.isolated import Decoder

    # the child loads its libraries, and reads the file, while this process loads the engine
    decoder = Decoder()
    reading = decoder.ahead(arguments.input)
    from dataclasses import replace

    from zincplate.core.colour.colour_spaces import SPACES
    from zincplate.formats.encode import write_whole
    from zincplate.recipe.document import RecipeError
    from zincplate.render.develop import Delivery, DeliveryError, develop, format_of
    from zincplate.render.render import Renderer
    from zincplate.sources.file import Source

    try:
        file_format = format_of(arguments.output)
        bits = arguments.depth or (16 if file_format == "tiff" else 8)
        delivery = Delivery(file_format, arguments.space, bits, arguments.long_edge, arguments.quality)
        delivery = replace(delivery, location=not arguments.no_location).checked()
    except DeliveryError as error:
        given = getattr(arguments, _OPTIONS[error.setting].replace("-", "_"))
        raise BadUsage(f"--{_OPTIONS[error.setting]} {given}: {error}") from error
    except RecipeError as error:
        raise BadUsage(str(error)) from error
    if arguments.output.exists() and not arguments.overwrite:
        raise FileError(arguments.output, "A file of this name is already there; add --overwrite to replace it.")
    if arguments.output.exists() and arguments.input.exists() and arguments.output.samefile(arguments.input):
        raise FileError(arguments.output, "This is the original; originals are never written.")
    renderer = Renderer(decoder, _lenses(arguments))
    key = str(arguments.input)
    source = Source(reading())
    recipe = _recipe(arguments, source.raw)
    try:
        data, (width, height) = develop(renderer, source, recipe, delivery)
    except RecipeError as error:
        raise FileError(arguments.input, str(error)) from error
    write_whole(arguments.output, data, overwrite=arguments.overwrite)
    framed = renderer.framed(source, key, source.plan(recipe).frame)
    notes = [*source.notes, *framed.notes(), *recipe.notes]
    if recipe.value("framing", "lens_profile") == "auto" and not framed.profile:
        notes.append("No lens profile is known to fit this file, so none was used. --lenses names a folder with more.")
    for note in notes:
        print(f"{arguments.input.name}: {note}", file=sys.stderr)
    print(f"{arguments.output}: {width} x {height}, {bits} bit, {SPACES[delivery.space].name}, {len(data) / 1e6:.1f} MB")


def _lenses(arguments: argparse.Namespace) -> "LensDatabase":
    from zincplate.formats.lens_profiles import LensDatabase

    return LensDatabase(*([arguments.lenses] if arguments.lenses is not None else []))


def _suggest(arguments: argparse.Namespace) -> None:
    from zincplate.core.geometry.projective import FramingError
    from zincplate.formats.isolated import Decoder
    from zincplate.recipe.document import Recipe
    from zincplate.render.render import Renderer
    from zincplate.render.suggest import Suggester
    from zincplate.render.suggest_framing import suggest_framing

    renderer = Renderer(Decoder(), _lenses(arguments))
    key = str(arguments.input)
    source = renderer.open(arguments.input, key)
    neutral = Recipe.neutral(source.raw)
    if arguments.of == "framing":
        try:
            proposals = renderer.on_render_thread(lambda: suggest_framing(renderer, source, key, neutral))
        except FramingError as error:
            raise FileError(arguments.input, str(error)) from error
    else:
        proposals = renderer.on_render_thread(Suggester(renderer, source, key, neutral).whole)
    if arguments.json:
        found = [{"name": p.name, "summary": p.summary, "values": p.values, "reasons": p.reasons} for p in proposals]
        print(json.dumps(found, indent=1))
        return
    for proposal in proposals:
        print(f"{proposal.name} ({proposal.summary})")
        for step, controls in proposal.values.items():
            for control, value in controls.items():
                reason = proposal.reasons.get(f"{step}.{control}")
                if reason:
                    print(f"  --set {step}.{control}={json.dumps(value, separators=(',', ':'))}   {reason}")


def _info(arguments: argparse.Namespace) -> None:
    from zincplate.formats.isolated import Decoder

    capture, preview = Decoder().facts(arguments.input)
    facts = capture.as_dict() | {"preview_bytes": len(preview) if preview else 0}
    if arguments.json:
        print(json.dumps(facts, indent=1, ensure_ascii=False))
        return
    from zincplate.formats.facts_in_words import in_words

    for title, rows in in_words(capture):
        print(title)
        for name, text in rows:
            print(f"  {name:17} {text}")
    for note in capture.notes:
        print(f"Note: {note}")


def _verify(arguments: argparse.Namespace) -> int:
    from zincplate.services.verify import repair, verify
    from zincplate.store import database as store
    from zincplate.store.home import Home
    from zincplate.store.mariadb import Maria

    home = Home.from_environment()
    running = home.root.is_dir() and Maria(home.root).running_pid() is not None
    if running:
        store.connect(home, pool=2)
        with store.database.connection_context():
            report = repair(home) if arguments.repair else verify(home, database=True)
    elif arguments.repair:
        raise BadUsage("--repair: The database does not run. Start Zincplate on this library, then repair it beside that.")
    else:
        report = verify(home)
    if arguments.json:
        print(json.dumps(report.as_dict(), indent=1, ensure_ascii=False))
    else:
        for line in (*report.repaired, *report.problems):
            print(line)
        counted = f"{report.originals} originals and {report.recipes} recipes"
        ledger = f", {report.deliveries} deliveries" if running else "; the database does not run and was not asked"
        print(f"{counted} checked{ledger}. {len(report.problems)} problems.")
    return 1 if report.problems else 0


def _drill(arguments: argparse.Namespace) -> int:
    from zincplate.drill.drill import drill

    report = drill(arguments.minutes, arguments.seed, arguments.port, lambda words: print(words, file=sys.stderr, flush=True))
    print("\n".join(report.lines()))
    return 1 if report.faults else 0


def _card(folder: Path, timed: bool) -> None:
    started = time.perf_counter()
    from zincplate.demo.card import write_card

    size = 0
    for name in write_card(folder):
        size += (folder / "DCIM" / name).stat().st_size
        print(f"{time.perf_counter() - started:7.1f} s  {name}" if timed else name, flush=True)
    if timed:
        print(f"{time.perf_counter() - started:7.1f} s  {size / 1e6:.0f} MB in all")


def main(argv: list[str] | None = None) -> int:
    """Runs one command; returns the exit code."""
    given = sys.argv[1:] if argv is None else argv
    arguments = _parser(given[0] if given else "").parse_args(given)
    try:
        match arguments.command:
            case "demo" | "start":
                from zincplate.cli.serve import serve

                return serve(demo=arguments.command == "demo", port=arguments.port, fresh=getattr(arguments, "fresh", False))
            case "develop":
                _develop(arguments)
            case "info":
                _info(arguments)
            case "suggest":
                _suggest(arguments)
            case "schema":
                from zincplate.recipe.schema import recipe_schema

                print(json.dumps(recipe_schema(), indent=1))
            case "verify":
                return _verify(arguments)
            case "drill":
                return _drill(arguments)
            case "bench":
                from zincplate.cli.bench import bench

                bench(as_json=arguments.json, quick=arguments.quick)
            case "card":
                _card(arguments.folder, timed=arguments.time)
            case "warm":
                from zincplate.cli.warm import warm

                warm()
            case "openapi":
                from zincplate.api.app import openapi_document

                print(openapi_document(), end="")
            case "types":
                from zincplate.cli.types import typescript

                print(typescript(), end="")
    except BadUsage as error:
        print(error, file=sys.stderr)
        return 2
    except Told as error:
        print(error, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    return 0


if __name__ == "__main__":
    sys.exit(main())
