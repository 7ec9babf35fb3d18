"""``merge``: frames that were taken to be one picture become a master, without a database."""

import argparse
import json
from pathlib import Path
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

from zincplate.cli.usage import BadUsage, lenses
from zincplate.formats.encode import SOFTWARE
from zincplate.formats.errors import FileError
from zincplate.formats.files import write_file
from zincplate.formats.isolated import Decoder
from zincplate.merges.errors import MergeError
from zincplate.merges.kinds import MOST, OPTIONS, Kind, merged
from zincplate.merges.view import opened
from zincplate.sources.file import Source

KINDS: tuple[Kind, ...] = get_args(Kind)


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


def merge(arguments: argparse.Namespace) -> None:
    """Merges and writes; what was done goes to the standard output."""
    if arguments.output.exists():
        raise FileError(arguments.output, "A file of this name is already there.")
    if not arguments.output.absolute().parent.is_dir():
        raise FileError(arguments.output, "There is no such folder.")
    kind: Kind = arguments.kind
    names = [path.name for path in arguments.frames]
    if len(names) > MOST[kind]:
        # before hundreds of files are opened
        raise FileError(arguments.frames[0], f"A {kind} is made of at most {MOST[kind]} frames; these are {len(names)}.")
    options = _options(kind, arguments.set, names)
    decoder = Decoder()
    reading = decoder.ahead(arguments.frames[0])
    sources: list[tuple[str, Source]] = []
    for i, path in enumerate(arguments.frames):
        decoded = reading()
        if i + 1 < len(names):
            reading = decoder.ahead(arguments.frames[i + 1])
        sources.append((path.name, Source(decoded)))
    frames = opened(sources)
    try:
        from zincplate.services.originals import hash_of

        origins = [{"name": path.name, "sha256": hash_of(path)} for path in arguments.frames]
        made = merged(frames, options, lenses(arguments), SOFTWARE, origins)
    except MergeError as error:
        raise FileError(arguments.frames[0], str(error)) from error
    write_file(arguments.output, made.dng, replace=False)
    if arguments.report is not None:
        write_file(arguments.report, (json.dumps(made.report, indent=1, ensure_ascii=False) + "\n").encode())
    for sentence in (*made.report["done"], *(f"Left out: {text}" for text in made.report["left_out"])):
        print(sentence)
    print(arguments.output)
