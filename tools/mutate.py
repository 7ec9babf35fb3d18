"""Tries small wrong changes on a copy of the project and tells which of them no test notices.

``.venv/bin/python tools/mutate.py src/zincplate/recipe/document.py --tests tests/contract [--sample 40] [--seed 1]``

One change at a time: a comparison turned round or made strict, plus for minus, and for or, a number changed, a ``not`` or a
statement taken away, a condition made always true. A change is caught when the tests fail or do not end in time. What survives
either needs a test or changes nothing that anybody could see; the second is to be said where the figure is given. Folders stand
for the modules in them. Compiled kernels that call a changed one are compiled anew: numba itself looks at their own file only,
and by its content. With ``--by-line`` a change is tried with the tests alone that run through its line, the quickest first (needs
the package ``coverage``), with ``--within-s`` only as many of them as take so long. ``--folder`` keeps the copy, its compiled
kernels and which tests run through which line for the next time; delete it when tests were changed.
"""

import argparse
import ast
import contextlib
import math
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from tools.tests_by_line import Recorded

ROOT = Path(__file__).resolve().parents[1]
COMPARISONS: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
}
ARITHMETIC: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.BitAnd: ast.BitOr,
    ast.BitOr: ast.BitAnd,
}


def changes(tree: ast.Module) -> Iterator[tuple[int, str, ast.AST, str, object]]:
    """Line, words, node, field and new value of every change; docstrings, annotations and messages are left alone."""
    left_alone: set[int] = set()
    for node in ast.walk(tree):
        for part in (getattr(node, "annotation", None), getattr(node, "returns", None)):
            if part is not None:
                left_alone.update(id(n) for n in ast.walk(part))
        if isinstance(node, ast.Raise | ast.JoinedStr | ast.Import | ast.ImportFrom):
            left_alone.update(id(n) for n in ast.walk(node) if n is not node)
    for node in ast.walk(tree):
        if id(node) in left_alone:
            continue
        line = getattr(node, "lineno", 0)
        if isinstance(node, ast.Compare) and type(node.ops[0]) in COMPARISONS:
            other = COMPARISONS[type(node.ops[0])]
            yield line, f"{type(node.ops[0]).__name__} -> {other.__name__}", node, "ops", [other(), *node.ops[1:]]
        elif isinstance(node, ast.BinOp) and type(node.op) in ARITHMETIC:
            yield (
                line,
                f"{type(node.op).__name__} -> {ARITHMETIC[type(node.op)].__name__}",
                node,
                "op",
                ARITHMETIC[type(node.op)](),
            )
        elif isinstance(node, ast.BoolOp):
            yield line, "and <-> or", node, "op", ast.Or() if isinstance(node.op, ast.And) else ast.And()
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            yield line, "not taken away", node, "op", ast.UAdd()
        elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
            yield line, f"{node.value} -> {not node.value}", node, "value", not node.value
        elif isinstance(node, ast.Constant) and isinstance(node.value, int | float):
            yield line, f"{node.value} -> {node.value + 1}", node, "value", node.value + 1
        elif isinstance(node, ast.If | ast.IfExp):
            yield line, "condition always true", node, "test", ast.Constant(True)
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
            yield line, "call taken away", node, "value", ast.Constant(None)


def importers(copy: Path, module: Path) -> list[Path]:
    """Every file of the copy that imports the module, or one that does, and so on."""
    named: dict[str, set[str]] = {}
    where: dict[str, Path] = {}
    for file in (copy / "src").rglob("*.py"):
        name = ".".join(file.relative_to(copy / "src").with_suffix("").parts)
        where[name] = file
        named[name] = set()
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module:
                named[name] |= {node.module, *(f"{node.module}.{one.name}" for one in node.names)}
            elif isinstance(node, ast.Import):
                named[name] |= {one.name for one in node.names}
    found = {".".join(module.relative_to(copy / "src").with_suffix("").parts)}
    while True:
        more = {name for name, names in named.items() if names & found} | found
        if more == found:
            return [where[name] for name in found]
        found = more


def _recorded(told_in: Path) -> "Recorded":
    sys.path.insert(0, str(ROOT))
    from tools.tests_by_line import Recorded

    return Recorded(told_in)


def main() -> int:
    """Prints survivors and the share that was caught; the exit code is 0 whatever it is."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("modules", nargs="+", type=Path)
    parser.add_argument("--tests", nargs="+", required=True)
    parser.add_argument("--sample", type=int, default=40)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--timeout", type=float, default=150)
    parser.add_argument("--by-line", action="store_true")
    parser.add_argument("--within-s", type=float, default=math.inf)
    parser.add_argument("--folder", type=Path)
    parser.add_argument("--skip", type=int, default=0, help="how many of the sample are left out, from the first on")
    arguments = parser.parse_args()
    with contextlib.ExitStack() as ends:
        copy = arguments.folder or Path(ends.enter_context(tempfile.TemporaryDirectory(prefix="zpm")))
        copy.mkdir(exist_ok=True)
        for part in ("src", "tests", "docs", "tools"):
            shutil.rmtree(copy / part, ignore_errors=True)
            shutil.copytree(ROOT / part, copy / part, ignore=shutil.ignore_patterns("__pycache__"))
        shutil.copy(ROOT / "pyproject.toml", copy)
        for part in ("web", ".venv"):
            if not (copy / part).exists():
                (copy / part).symlink_to(ROOT / part)
        environment = {**os.environ, "PYTHONPATH": str(copy / "src"), "NUMBA_CACHE_DIR": str(copy / "numba")}
        tried, told = copy / "numba-tried", copy / "told.txt"
        given = [copy / one.resolve().relative_to(ROOT) for one in arguments.modules]

        def passes(tests: list[str], timeout_s: float) -> bool:
            command = [sys.executable, "-W", "ignore", "-m", "pytest", "-x", "-q", "--timeout=0", *tests]
            with (
                told.open("w") as out,
                subprocess.Popen(
                    command, cwd=copy, env=environment, stdout=out, stderr=subprocess.STDOUT, start_new_session=True
                ) as run,
            ):
                try:
                    return not run.wait(timeout_s)
                except subprocess.TimeoutExpired:
                    os.killpg(run.pid, signal.SIGKILL)
                    return False

        told_in = copy / "tests_by_line.json"
        if arguments.by_line:
            environment |= {
                "TESTS_BY_LINE": str(told_in),
                "TESTS_BY_LINE_OF": ":".join(sorted({str(one if one.is_dir() else one.parent) for one in given})),
            }
        plugin = ["-p", "tools.tests_by_line"] if arguments.by_line else []
        known = arguments.by_line and told_in.exists()
        if not known and not passes([*plugin, *arguments.tests], arguments.timeout * 20):  # which compiles the kernels, too
            print("The tests fail without any change.", *told.read_text().splitlines()[-20:], sep="\n")
            return 1
        environment.pop("TESTS_BY_LINE", None)
        recorded = _recorded(told_in) if arguments.by_line else None
        modules = [file for one in given for file in (sorted(one.rglob("*.py")) if one.is_dir() else [one])]
        every = [(module, index) for module in modules for index, _ in enumerate(changes(ast.parse(module.read_text())))]
        chosen = random.Random(arguments.seed).sample(every, min(arguments.sample, len(every)))
        survived = 0
        for module, index in sorted(chosen, key=str)[arguments.skip :]:
            before = {file: file.read_bytes() for file in importers(copy, module)}
            tree = ast.parse(before[module])
            line, words, node, field, value = list(changes(tree))[index]
            setattr(node, field, value)
            module.write_text(ast.unparse(ast.fix_missing_locations(tree)))
            for file, text in before.items():
                if file != module and b"njit" in text:
                    file.write_bytes(text + b"# compiled anew\n")
            shutil.rmtree(tried, ignore_errors=True)
            shutil.copytree(copy / "numba", tried)  # what the change compiles is of no use to the next one
            environment["NUMBA_CACHE_DIR"] = str(tried)
            began_s = time.monotonic()
            turns = recorded.through(module, line, arguments.within_s) if recorded else [arguments.tests]
            usual_s = [4 * recorded.lasting_s(tests) if recorded else 0 for tests in turns]
            survives = all(passes(tests, arguments.timeout + more_s) for tests, more_s in zip(turns, usual_s, strict=True))
            survived += survives
            taken_s = time.monotonic() - began_s
            verdict = "LEFT  " if survives else "caught"
            print(f"{verdict} {taken_s:4.0f} s  {module.relative_to(copy)}:{line}: {words}", flush=True)
            for file, text in before.items():
                file.write_bytes(text)
            shutil.rmtree(tried, ignore_errors=True)
        print(f"{len(chosen) - arguments.skip - survived} of {len(chosen) - arguments.skip} caught ({len(every)} possible).")
    return 0


if __name__ == "__main__":
    sys.exit(main())
