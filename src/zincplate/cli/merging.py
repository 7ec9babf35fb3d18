"""``merge``: frames that were taken to be one picture become a master, without a database."""

import argparse
import json
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from zincplate.cli.usage import BadUsage
from zincplate.formats.encode import SOFTWARE
from zincplate.formats.errors import FileError
from zincplate.formats.files import write_file
from zincplate.formats.isolated import Decoder
from zincplate.merges.errors import MergeError
from zincplate.merges.judge import judge
from zincplate.merges.master import merge_bracket
from zincplate.merges.options import BracketOptions
from zincplate.merges.view import opened
from zincplate.sources.file import Source


def _options(pairs: list[str], names: list[str]) -> BracketOptions:
    """``option=value``; frames may be given by their names."""
    values: dict[str, Any] = {}
    for pair in pairs:
        name, equals, text = pair.partition("=")
        if not equals:
            raise BadUsage(f"--set {pair}: Write option=value.")
        if name not in BracketOptions.model_fields:
            known = ", ".join(BracketOptions.model_fields)
            raise BadUsage(f"--set {name}: There is no such option; there are {known}.")
        try:
            value = json.loads(text)
        except ValueError:
            value = text
        values[name] = _numbered(name, value, names)
    try:
        return BracketOptions(**values)
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
    names = [path.name for path in arguments.frames]
    options = _options(arguments.set, names)
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
        judged = judge(frames, options)
        from zincplate.services.originals import hash_of

        origins = [{"name": path.name, "sha256": hash_of(path)} for path in arguments.frames]
        made = merge_bracket(frames, judged, options, SOFTWARE, origins)
    except MergeError as error:
        raise FileError(arguments.frames[0], str(error)) from error
    write_file(arguments.output, made.dng, replace=False)
    if arguments.report is not None:
        write_file(arguments.report, (json.dumps(made.report, indent=1, ensure_ascii=False) + "\n").encode())
    for sentence in (*made.report["done"], *(f"Left out: {text}" for text in made.report["left_out"])):
        print(sentence)
    print(arguments.output)
