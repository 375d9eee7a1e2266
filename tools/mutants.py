"""Change the core in one place at a time, and tell which changes no test notices.

``python tools/mutants.py [--seed N] [--number N] [ROOM ...]``: some places are chosen by chance in the rooms
(all that hold what a film is, unless some are named); at each the code does something else, such as ``<=`` in
place of ``<``. The tests of those rooms run on a copy until one fails. What survives is printed.
"""

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
ROOMS = ("edits", "keying", "facts", "render", "document")
_TESTS = ("document", "edits", "facts", "keying", "transitions", "render", "titles", "audio/test_mix.py")
_PATIENCE = 3
"""How many times as long as unchanged code the tests of a mutant may take; an endless one is noticed too."""

_COMPARED: dict[type, type[ast.cmpop]] = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
}
_CALCULATED: dict[type, type[ast.operator]] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.FloorDiv: ast.Mult,
}
_CALLED = {"min": "max", "max": "min", "any": "all", "all": "any"}


def changed(node: Any) -> bool:
    """Have a node of the syntax tree do something else; False where nothing is known that it could."""
    match node:
        case ast.Compare(ops=[op]) if type(op) in _COMPARED:
            node.ops = [_COMPARED[type(op)]()]
        case ast.BinOp(op=op, left=left) if type(op) in _CALCULATED and not _is_text(left):
            node.op = _CALCULATED[type(op)]()
        case ast.BoolOp(op=op):
            node.op = ast.Or() if isinstance(op, ast.And) else ast.And()
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            node.operand = ast.UnaryOp(ast.Not(), operand)
        case ast.Constant(value=bool() as value):
            node.value = not value
        case ast.Constant(value=int() as value):
            node.value = value + 1
        case ast.Call(func=ast.Name(id=name)) if name in _CALLED:
            node.func = ast.Name(_CALLED[name], ast.Load())
        case ast.IfExp(body=body, orelse=orelse):
            node.body, node.orelse = orelse, body
        case _:
            return False
    return True


def _is_text(node: ast.expr) -> bool:
    return isinstance(node, ast.JoinedStr) or (isinstance(node, ast.Constant) and isinstance(node.value, str))


def _nodes(tree: ast.AST) -> list[ast.AST]:
    """Return what runs: neither annotations, nor defaults of classes' fields, nor texts of errors."""
    found: list[ast.AST] = []

    def walk(node: ast.AST) -> None:
        found.append(node)
        for name, value in ast.iter_fields(node):
            if name in ("annotation", "returns", "decorator_list") or isinstance(
                node, ast.Raise | ast.JoinedStr
            ):
                continue
            for one in value if isinstance(value, list) else [value]:
                if isinstance(one, ast.AST):
                    walk(one)

    for one in ast.walk(tree):
        if isinstance(one, ast.FunctionDef):
            for statement in one.body:
                if not isinstance(statement, ast.FunctionDef):
                    walk(statement)
    return found


def mutant_of(path: Path, chance: random.Random) -> tuple[int, str, str] | None:
    """Return a mutant of a module by chance: its line, how that reads then, and the whole text."""
    text = path.read_text()
    numbers = list(range(len(_nodes(ast.parse(text)))))
    chance.shuffle(numbers)
    for number in numbers:
        tree = ast.parse(text)
        node = _nodes(tree)[number]
        before = ast.unparse(node)
        if changed(node):
            return getattr(node, "lineno", 0), f"{before}  ->  {ast.unparse(node)}", ast.unparse(tree)
    return None


def survives(copy: Path, seconds: float, rooms: Sequence[str] = _TESTS) -> bool:
    """Whether the tests of some rooms run through on a copy of the project."""
    environment = os.environ | {
        "PYTHONPATH": str(copy / "src"),
        "PYTHONDONTWRITEBYTECODE": "1",
        "QT_QPA_PLATFORM": "offscreen",
    }
    tests = [str(copy / "tests" / room) for room in rooms if (copy / "tests" / room).exists()]
    run = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *tests]
    try:
        done = subprocess.run(
            run, cwd=copy, env=environment, capture_output=True, timeout=seconds, check=False
        )
    except subprocess.TimeoutExpired:
        return False
    return done.returncode == 0


def main() -> None:
    """Print the mutants that survive, and their share."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("rooms", nargs="*", default=ROOMS)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--number", type=int, default=60)
    wanted = parser.parse_args()
    chance = random.Random(wanted.seed)
    files = [path for room in wanted.rooms for path in sorted((ROOT / "src/epiphane" / room).rglob("*.py"))]
    sizes = [path.stat().st_size for path in files]
    with TemporaryDirectory() as folder:
        copy = Path(folder)
        for name in (
            "src",
            "tests",
            "tools",
            "training",
            "docs",
            "pyproject.toml",
            "README.md",
            "CHANGELOG.md",
        ):
            source, there = ROOT / name, copy / name
            shutil.copytree(source, there) if source.is_dir() else shutil.copy(source, there)
        started = time.monotonic()
        assert survives(copy, 3600), "the tests fail without any change"
        usual = time.monotonic() - started
        survived = 0
        for number in range(wanted.number):
            path = copy / chance.choices(files, sizes)[0].relative_to(ROOT)
            found = mutant_of(path, chance)
            if found is None:
                continue
            (line, words, text), unchanged = found, path.read_text()
            path.write_text(text)
            own = path.relative_to(copy / "src/epiphane").parts[0]  # most are noticed where they are
            others = [room for room in _TESTS if room != own]
            patience = _PATIENCE * usual
            is_alive = survives(copy, patience, [own]) and survives(copy, patience, others)
            path.write_text(unchanged)
            survived += is_alive
            if is_alive:
                print(f"{path.relative_to(copy)}:{line}: {words}", flush=True)
            print(f"{number + 1} tried, {survived} survived", file=sys.stderr, flush=True)
    print(f"{survived} of {wanted.number} survived")


if __name__ == "__main__":
    main()
