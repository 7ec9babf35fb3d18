"""``./zincplate COMMAND``. Exit 0 on success, 2 on bad usage, 1 with one clear line on bad input."""

import argparse
import json
import sys
import time
from pathlib import Path
from typing import Any

from zincplate import __version__
from zincplate.cli.usage import BadUsage, lenses
from zincplate.formats.errors import FileError, Told

# numpy takes a sixth of a second to load, the models of the recipe as long, the engine with its kernels a second: every command
# imports what it needs when it needs it.


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
    command = commands.add_parser("develop", help="develop one file, or many into a folder")
    command.add_argument("input", type=Path, metavar="IN", nargs="+")
    command.add_argument(
        "-o", "--output", type=Path, required=True, metavar="OUT", help="a file, whose ending gives the format, or a folder"
    )
    command.add_argument("--format", default="jpeg", help="of files in a folder (jpeg)")
    command.add_argument("--preset", type=Path, help="preset as JSON, applied before --set")
    command.add_argument("--strength", type=float, default=1.0, help="of the preset, 0 to 1.5 (1)")
    command.add_argument("--recipe", type=Path, help="recipe as JSON; may hold only some steps")
    command.add_argument("--set", action="append", default=[], metavar="STEP.CONTROL=VALUE", help="change one control")
    command.add_argument("--long-edge", type=int, help="reduce to this many pixels; never enlarges")
    command.add_argument("--space", default="srgb", help=spaces)
    command.add_argument("--depth", type=int, help="8 or 16 bits per channel (8 for JPEG, 16 for TIFF, 8 for PNG)")
    command.add_argument("--quality", type=int, default=95, help="JPEG quality, 1 to 100")
    command.add_argument("--no-location", action="store_true", help="leave out where it was taken")
    command.add_argument("--overwrite", action="store_true", help="replace OUT if it is there")
    command.add_argument("--lenses", type=Path, metavar="FOLDER", help=_LENSES_HELP)
    _across(commands)
    _of_areas(commands)
    _of_repairs(commands)
    command = commands.add_parser("merge", help="make a master of frames that were taken to be one picture")
    command.add_argument(
        "kind",
        choices=["bracket", "panorama", "focus", "series"],
        help="exposures of one subject; overlapping frames of one view; near to far; many of one thing, or of one sky",
    )
    command.add_argument("frames", type=Path, metavar="IN", nargs="+")
    command.add_argument("-o", "--output", type=Path, metavar="OUT.dng", required=True)
    command.add_argument("--set", action="append", default=[], metavar="OPTION=VALUE", help="may be repeated")
    command.add_argument("--report", type=Path, metavar="FILE.json", help="write there what was found and done")
    for role in ("dark", "flat", "bias"):
        command.add_argument(f"--{role}", type=Path, nargs="+", default=[], metavar="IN", help=f"{role} frames of a series")
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
    command.add_argument("--passes", action="store_true", help="instead: what passes with areas cost")
    command.add_argument("--repairs", action="store_true", help="instead: what repairs and fills cost")
    command.add_argument("--merge", action="store_true", help="instead: merges of every kind, against OpenCV")
    command.add_argument("--scale", type=int, metavar="FRAMES", help="instead: a generated catalogue of so many frames")
    command = commands.add_parser("card", help="write the demo's memory card into a folder")
    command.add_argument("folder", type=Path)
    command.add_argument("--time", action="store_true", help="say when each file was complete, and the size of all")
    compiling = commands.add_parser("warm", help="compile the kernels")
    compiling.add_argument("--backwards", action="store_true", help=argparse.SUPPRESS)
    commands.add_parser("openapi", help="the API's OpenAPI document")
    commands.add_parser("types", help="the page's generated TypeScript")
    return parser


def _of_areas(commands: Any) -> None:
    """Where passes act."""
    command = commands.add_parser("area", help="where a pass acts, or what can be found on a file, as a grey picture")
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("-o", "--output", type=Path, metavar="OUT.png", required=True)
    command.add_argument("--pass", dest="name", metavar="NAME", help="a pass of the recipe")
    command.add_argument("--find", choices=("sky", "land", "person", "faces", "skin", "subject"), help="look for this instead")
    command.add_argument("--recipe", type=Path, help="recipe as JSON")
    command.add_argument("--set", action="append", default=[], metavar="STEP.CONTROL=VALUE", help="may be repeated")
    command.add_argument("--lenses", type=Path, metavar="FOLDER", help=_LENSES_HELP)
    command.add_argument("--overwrite", action="store_true")


def _of_repairs(commands: Any) -> None:
    """What repairs are made of."""
    command = commands.add_parser("mend", help="find dust, fill removals: writes the recipe with them")
    command.add_argument("input", type=Path, metavar="IN")
    command.add_argument("-o", "--output", type=Path, metavar="OUT.json", required=True)
    command.add_argument(
        "--dust", type=float, nargs="?", const=80.0, metavar="PERCENT", help="mend dust that is at least so sure (80)"
    )
    command.add_argument("--light-too", action="store_true", help="light spots as well")
    command.add_argument("--fill", action="store_true", help="fill the recipe's removals that have no fill yet")
    command.add_argument(
        "--beyond", action="store_true", help="remove, and with --fill fill, what the crop shows beyond the picture"
    )
    command.add_argument("--recipe", type=Path, help="recipe as JSON")
    command.add_argument("--set", action="append", default=[], metavar="STEP.CONTROL=VALUE", help="may be repeated")
    command.add_argument("--lenses", type=Path, metavar="FOLDER", help=_LENSES_HELP)
    command.add_argument("--overwrite", action="store_true")


def _across(commands: Any) -> None:
    """What works on several files."""
    command = commands.add_parser("fit", help="what frames differ by from one whose adjustments they are to get")
    command.add_argument("input", type=Path, metavar="SOURCE")
    command.add_argument("frames", type=Path, metavar="FRAME", nargs="+")
    command.add_argument("--recipe", type=Path, help="recipe of the source as JSON")
    command.add_argument("--json", action="store_true")
    command = commands.add_parser("even", help="exposure and balance that make frames look like one of them")
    command.add_argument("frames", type=Path, metavar="FRAME", nargs="+")
    command.add_argument("--reference", metavar="NAME", help="the frame to look like (the one of middle lightness)")
    command.add_argument("--exposure-only", action="store_true", help="leave the balance as shot")
    command.add_argument("--json", action="store_true")
    command = commands.add_parser("preset", help="list the presets that ship with it, show one, or make one of a recipe")
    command.add_argument("name", nargs="?", help="a shipped preset, or a file")
    command.add_argument("--recipe", type=Path, help="make a preset of this recipe's adjustments")
    command.add_argument("--only", action="append", default=[], metavar="ADJUSTMENT", help="only this one; may be repeated")
    command.add_argument("--strength", type=float, default=1.0, help="show the values at a strength, 0 to 1.5 (1)")
    command.add_argument("-o", "--output", type=Path, metavar="OUT", help="write it there")
    command.add_argument("--json", action="store_true")


def _suggest(arguments: argparse.Namespace) -> None:
    from zincplate.core.geometry.projective import FramingError
    from zincplate.formats.isolated import Decoder
    from zincplate.recipe.document import Recipe
    from zincplate.render.render import Renderer
    from zincplate.render.suggest import Suggester
    from zincplate.render.suggest_framing import suggest_framing

    renderer = Renderer(Decoder(), lenses(arguments))
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

    decoder = Decoder()
    decoder.start()  # while the child loads what it reads with, this process loads what the answer is made of
    from zincplate.formats.capture import CaptureData  # noqa: F401
    from zincplate.formats.preview_pictures import Preview  # noqa: F401

    capture, preview = decoder.facts(arguments.input)
    facts = capture.as_dict() | {"preview_bytes": len(preview.whole) if preview else 0}
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
                from zincplate.cli.develop import develop

                return develop(arguments)
            case "mend":
                from zincplate.cli.mend import mend

                return mend(arguments)
            case "area":
                from zincplate.cli.area import area

                return area(arguments)
            case "fit" | "even" | "preset":
                from zincplate.cli import across

                {"fit": across.fit, "even": across.even, "preset": across.preset}[arguments.command](arguments)
            case "merge":
                from zincplate.cli.merging import merge

                merge(arguments)
            case "info":
                _info(arguments)
            case "suggest":
                _suggest(arguments)
            case "schema":
                # as generated: putting it together takes the models of every adjustment
                sys.stdout.write((Path(__file__).parents[1] / "recipe/recipe.schema.json").read_text())
            case "verify":
                return _verify(arguments)
            case "drill":
                return _drill(arguments)
            case "bench":
                if arguments.scale is not None:
                    from zincplate.cli.bench_scale import bench_scale

                    bench_scale(arguments.scale, arguments.json)
                    return 0
                if arguments.passes:
                    from zincplate.cli.bench_passes import bench_passes

                    bench_passes(arguments.json, arguments.quick)
                    return 0
                if arguments.repairs:
                    from zincplate.cli.bench_repairs import bench_repairs

                    bench_repairs(arguments.json, arguments.quick)
                    return 0
                if arguments.merge:
                    from zincplate.cli.bench_merge import bench_merge

                    bench_merge(arguments.json, arguments.quick)
                    return 0
                from zincplate.cli.bench import bench

                bench(as_json=arguments.json, quick=arguments.quick)
            case "card":
                _card(arguments.folder, timed=arguments.time)
            case "warm":
                from zincplate.cli.compiling import compile_all

                return compile_all(arguments.backwards)
            case "openapi":
                from zincplate.api.openapi import openapi_document

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
