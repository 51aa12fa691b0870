"""Puts faults into the core one at a time and tells which the tests catch: ``make mutants``.

A fault is a sign flipped, a factor dropped, a comparison turned round, a limit or constant moved, the smaller taken for the
larger. Each is written into a copy of the source, and the core's tests are run on it until the first fails.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).parents[1]
TURNED = {ast.Lt: ast.GtE, ast.LtE: ast.Gt, ast.Gt: ast.LtE, ast.GtE: ast.Lt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq}
OTHER = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}
SWAPPED = {"min": "max", "max": "min", "minimum": "maximum", "maximum": "minimum", "any": "all", "all": "any"}
TESTS = ["tests/core/test_pins.py", "tests/core", "tests/model", "tests/services"]  # those that catch most come first
MOST_SECONDS = 300


@dataclass(frozen=True)
class Fault:
    """One change of one place: where, and what it says after."""

    path: str
    line: int
    source: str
    words: str


@dataclass(frozen=True)
class Place:
    """Where a fault can be put: file, sort of fault, and the node's place in the text."""

    path: Path
    kind: str
    node: type[ast.AST]
    at: tuple[int, int, int, int]


def places(path: Path) -> Iterator[Place]:
    """Every place of a file where a fault can be put."""
    for node in ast.walk(ast.parse(path.read_text())):
        for kind in kinds(node):
            yield Place(path, kind, type(node), position(node))


def fault(place: Place) -> Fault:
    """The fault of a place."""
    tree = ast.parse(place.path.read_text())
    node = next(n for n in ast.walk(tree) if type(n) is place.node and position(n) == place.at)
    words = apply(place.kind, node)
    return Fault(str(place.path.relative_to(ROOT)), place.at[0], ast.unparse(tree), words)


def position(node: ast.AST) -> tuple[int, int, int, int]:
    return tuple(getattr(node, a, -1) for a in ("lineno", "col_offset", "end_lineno", "end_col_offset"))  # type: ignore[return-value]


def kinds(node: ast.AST) -> list[str]:
    if isinstance(node, ast.BinOp) and type(node.op) in OTHER and not _of_words(node):
        return ["sign" if isinstance(node.op, (ast.Add, ast.Sub)) else "factor"]
    if isinstance(node, ast.Compare) and type(node.ops[0]) in TURNED:
        return ["turn"]
    if isinstance(node, ast.Constant) and isinstance(node.value, float) and node.value not in (0.0, 1e-9, 1e-6, 1e-3):
        return ["move"]
    if isinstance(node, ast.Call) and _name(node.func) in SWAPPED:
        return ["swap"]
    return ["either"] if isinstance(node, ast.BoolOp) else []


def _of_words(node: ast.BinOp) -> bool:
    return any(
        isinstance(n, (ast.JoinedStr, ast.List, ast.Tuple)) or (isinstance(n, ast.Constant) and isinstance(n.value, str))
        for n in (node.left, node.right)
    )


def _name(node: ast.AST) -> str:
    return node.id if isinstance(node, ast.Name) else node.attr if isinstance(node, ast.Attribute) else ""


def apply(kind: str, node: ast.AST) -> str:
    """Change a node in place; what it says before and after."""
    before = ast.unparse(node)
    if isinstance(node, ast.BinOp):
        node.op = OTHER[type(node.op)]()
    elif isinstance(node, ast.Compare):
        node.ops[0] = TURNED[type(node.ops[0])]()
    elif isinstance(node, ast.Constant) and isinstance(node.value, float):
        node.value = node.value * 1.3 if kind == "move" else node.value
    elif isinstance(node, ast.Call):
        name = SWAPPED[_name(node.func)]
        node.func = ast.Name(name) if isinstance(node.func, ast.Name) else ast.Attribute(node.func.value, name)  # type: ignore[attr-defined]
    elif isinstance(node, ast.BoolOp):
        node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
    return f"{before}  ->  {ast.unparse(node)}"


def caught(one: Fault, copy: Path) -> bool:
    """Whether the tests fail with the fault in the copy."""
    target = copy / one.path
    good = target.read_text()
    target.write_text(one.source)
    if "compiled" in good:  # loops that are kept on disk do not know that what they call has changed
        for kept in copy.rglob("*.nbi"):
            kept.unlink()
    env = os.environ | {"PYTHONPATH": str(copy / "src"), "CI": "1", "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *TESTS]
    try:
        done = subprocess.run(command, cwd=copy, env=env, capture_output=True, timeout=MOST_SECONDS, check=False)
        return done.returncode != 0
    except subprocess.TimeoutExpired:
        return True
    finally:
        target.write_text(good)
        if "compiled" in good:
            for kept in copy.rglob("*.nbi"):
                kept.unlink()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--under", default="src/briskcell/core")
    asked = parser.parse_args()
    files = sorted((ROOT / asked.under).rglob("*.py"))
    found = [p for path in files for p in places(path)]
    chosen = [fault(p) for p in random.Random(asked.seed).sample(found, min(asked.count, len(found)))]
    copies: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(2) as pool:
        for k in range(2):
            for name in ("src", "tests"):
                shutil.copytree(ROOT / name, Path(folder) / str(k) / name, ignore=shutil.ignore_patterns("__pycache__"))
            shutil.copy(ROOT / "pyproject.toml", Path(folder) / str(k))
            copies.put(Path(folder) / str(k))

        first = copies.get()
        if caught(Fault("pyproject.toml", 0, (ROOT / "pyproject.toml").read_text(), ""), first):
            raise SystemExit("The tests fail without any fault put in.")
        copies.put(first)

        def tried(one: Fault) -> bool:
            copy = copies.get()
            try:
                return caught(one, copy)
            finally:
                copies.put(copy)

        count = 0
        for one, is_caught in zip(chosen, pool.map(tried, chosen), strict=True):
            count += is_caught
            if not is_caught:
                print(f"missed  {one.path}:{one.line}  {one.words}", flush=True)
    print(f"{count} of {len(chosen)} faults caught, {count / max(len(chosen), 1):.0%} (of {len(found)} that can be put in)")


if __name__ == "__main__":
    main()
