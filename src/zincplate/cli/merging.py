"""``merge``: frames that were taken to be one picture become a master, without a database."""

import argparse
import json
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel, ValidationError

from zincplate.cli.usage import BadUsage, lenses
from zincplate.formats.delivered.kind import SOFTWARE
from zincplate.formats.encode import write_whole
from zincplate.formats.errors import FileError
from zincplate.formats.isolated import Decoder
from zincplate.formats.parked import held
from zincplate.merges.errors import MergeError
from zincplate.merges.file import Master
from zincplate.merges.kinds import MOST, OPTIONS, Kind, merged
from zincplate.merges.view import opened
from zincplate.sources.file import Source

SUFFIXES = (".dng", ".exr", ".fits")


def _options(kind: Kind, pairs: list[str], names: list[str]) -> Any:
    """``option=value``; frames may be given by their names."""
    model: type[BaseModel] = OPTIONS[kind]
    values: dict[str, Any] = {}
    for pair in pairs:
        name, equals, text = pair.partition("=")
        if not equals:
            raise BadUsage(f"--set {pair}: Write option=value.")
        if name not in model.model_fields or name == "kind":
            known = ", ".join(n for n in model.model_fields if n != "kind")
            raise BadUsage(f"--set {name}: There is no such option; there are {known}.")
        try:
            value = json.loads(text)
        except ValueError:
            value = text
        values[name] = _numbered(name, value, names)
    try:
        return model(**values)
    except ValidationError as error:
        first = error.errors()[0]
        raise BadUsage(f"--set {'.'.join(str(p) for p in first['loc'])}: {first['msg']}.") from error


def _numbered(option: str, value: Any, names: list[str]) -> Any:
    if option in ("leave_out", "take"):
        texts = value.split(",") if isinstance(value, str) else value if isinstance(value, list) else [value]
        return tuple(_number(option, v, names) for v in texts)
    if option == "reference":
        return _number(option, value, names)
    if option == "base" and isinstance(value, dict):
        return {int(region): _number(option, v, names) for region, v in value.items()}
    return value


def _number(option: str, value: Any, names: list[str]) -> int:
    if isinstance(value, int) and not isinstance(value, bool):
        return value
    found = [i for i, name in enumerate(names) if value in (name, Path(name).stem)]
    if len(found) != 1:
        raise BadUsage(f"--set {option}: {value} is none of the frames.")
    return found[0]


def _with_roles(kind: Kind, arguments: argparse.Namespace) -> tuple[list[Path], dict[int, str]]:
    """All frames, and what those are that were named for calibrating."""
    paths, roles = list(arguments.frames), {}
    for role in ("dark", "flat", "bias"):
        named = getattr(arguments, role)
        if named and kind != "series":
            raise BadUsage(f"--{role}: Only a series is calibrated.")
        for path in named:
            roles[len(paths)] = role
            paths.append(path)
    return paths, roles


def _written(made: Master, suffix: str) -> bytes:
    """The master as the kind of file that its name asks for."""
    if suffix == ".dng":
        return made.dng
    from tempfile import TemporaryDirectory

    from zincplate.formats.decode import decode

    with TemporaryDirectory() as folder:
        path = Path(folder) / "master.dng"
        path.write_bytes(made.dng)
        decoded = decode(path)
    capture, sentences = decoded.capture, made.report["done"]
    if suffix == ".exr":
        from zincplate.formats.openexr_writer import exr_bytes
        from zincplate.recipe.document import Recipe

        source = Source(decoded)
        plates = source.window(0, 0, source.width, source.height)
        linear_rec2020 = np.einsum("ij,jhw->ihw", source.to_rec2020(Recipe.neutral(True)).astype(np.float32), plates)
        return exr_bytes(linear_rec2020, capture, SOFTWARE, " ".join(sentences))
    from zincplate.formats.fits_writer import fits_bytes

    # camera values as they stand in the file, brighter by its exposure
    gain = 2.0**decoded.camera.baseline_exposure_ev if decoded.camera is not None else 1.0
    return fits_bytes(decoded.pixels.transpose(2, 0, 1) * np.float32(gain), capture, SOFTWARE, sentences)


def merge(arguments: argparse.Namespace) -> None:
    """Merges and writes; what was done goes to the standard output."""
    if arguments.output.exists():
        raise FileError(arguments.output, "A file of this name is already there.")
    for file in (arguments.output, arguments.report):
        if file is not None and not file.absolute().parent.is_dir():
            raise FileError(file, "There is no such folder.")
    kind: Kind = arguments.kind
    paths, roles = _with_roles(kind, arguments)
    suffix = arguments.output.suffix.lower()
    if suffix not in SUFFIXES:
        raise BadUsage(f"{arguments.output}: A master is written as {', '.join(SUFFIXES)}.")
    if suffix == ".fits" and kind != "series":
        raise BadUsage("Only a series can be written as FITS; name the output .dng or .exr.")
    names = [path.name for path in paths]
    if len(names) > MOST[kind]:
        # before hundreds of files are opened
        raise FileError(paths[0], f"A {kind} is made of at most {MOST[kind]} frames; these are {len(names)}.")
    options = _options(kind, arguments.set, names)
    if roles:
        options = options.model_copy(update={"roles": {**roles, **options.roles}})
    decoder = Decoder()
    reading = decoder.ahead(paths[0])
    sources: list[tuple[str, Source]] = []
    for i, path in enumerate(paths):
        decoded = reading()
        if i + 1 < len(names):
            reading = decoder.ahead(paths[i + 1])
        sources.append((path.name, Source(held(decoded, len(names)))))
    frames = opened(sources)
    try:
        from zincplate.services.originals import hash_of

        origins = [{"name": path.name, "sha256": hash_of(path)} for path in paths]
        made = merged(frames, options, lenses(arguments), SOFTWARE, origins)
    except MergeError as error:
        # most sentences name the frame they are about
        named = next((path for path in paths if str(error).startswith(f"{path.name}: ")), None)
        raise FileError(named or paths[0], str(error) if named is None else str(error)[len(named.name) + 2 :]) from error
    write_whole(arguments.output, _written(made, suffix))
    if arguments.report is not None:
        write_whole(arguments.report, (json.dumps(made.report, indent=1, ensure_ascii=False) + "\n").encode(), overwrite=True)
    for sentence in (*made.report["done"], *(f"Left out: {text}" for text in made.report["left_out"])):
        print(sentence)
    print(arguments.output)
