"""Puts faults into every layer one at a time and tells which the tests catch: ``make mutants``.

A fault is a sign flipped, a factor dropped, a comparison or a condition turned round, a limit or constant moved, the smaller taken
for the larger, a step left out. Each is written into a copy of the source, and the tests that lie nearest to it are run until the
first fails. Half of the faults are put into the core, the rest in equal parts into the other layers.
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
CORE = ["tests/core/test_pins.py", "tests/core", "tests/model"]  # those that catch most come first
SERVER = ["tests/services", "tests/web"]
TESTS = {
    "core": CORE,
    "model": ["tests/model", *CORE, "tests/formats"],
    "library": CORE,
    "instruments": ["tests/instruments", *SERVER],
    "store": ["tests/store", *SERVER],
    "formats": ["tests/formats", "tests/test_process.py", *SERVER],
    "services": ["tests/services", *SERVER],
    "drawing": ["tests/drawing", "tests/web/test_exports.py", "tests/web/test_pictures.py", *SERVER],
    "exports": ["tests/web/test_exports.py", *SERVER],
    "web": SERVER,
}
MOST_SECONDS = 900


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
    if isinstance(node, ast.If) and not isinstance(node.test, (ast.Compare, ast.BoolOp)):
        return ["negate"]
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
        return ["leave out"]
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
    elif isinstance(node, ast.If):
        before, node.test = ast.unparse(node.test), ast.UnaryOp(ast.Not(), node.test)
        return f"if {before}  ->  if {ast.unparse(node.test)}"
    elif isinstance(node, ast.Expr):
        node.value = ast.Constant(None)
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
    asked = [t for t in TESTS[layer(one.path)] if (copy / t).exists()]
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "--assert=plain", *asked]
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


def layer(path: str) -> str:
    """The layer of a file, by its folder; what lies beside the folders is the web's."""
    parts = Path(path).parts
    return parts[2] if len(parts) > 3 else "web"


def sample(count: int, seed: int, under: str) -> list[Place]:
    """Places for so many faults: half in the core, the rest in equal parts in the other layers."""
    by_layer: dict[str, list[Place]] = {name: [] for name in TESTS}
    for path in sorted((ROOT / under).rglob("*.py")):
        if "migrations" not in path.parts:
            by_layer[layer(str(path.relative_to(ROOT)))].extend(places(path))
    draw, present = random.Random(seed), {k: v for k, v in by_layer.items() if v}
    others = max(len(present) - 1, 1)
    each = {k: count // 2 if k == "core" and others > 1 else -(-(count - count // 2) // others) for k in present}
    return [p for k, found in present.items() for p in draw.sample(found, min(each[k] if len(present) > 1 else count, len(found)))]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--under", default="src/briskcell")
    asked = parser.parse_args()
    chosen = [fault(p) for p in sample(asked.count, asked.seed, asked.under)]
    copies: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(2) as pool:
        for k in range(2):
            kept = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split(
                "\0"
            )
            for name in filter(None, kept):
                target = Path(folder) / str(k) / name
                target.parent.mkdir(parents=True, exist_ok=True)
                shutil.copy(ROOT / name, target)
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

        tally: dict[str, list[bool]] = {}
        for one, is_caught in zip(chosen, pool.map(tried, chosen), strict=True):
            tally.setdefault(layer(one.path), []).append(is_caught)
            if not is_caught:
                print(f"missed  {one.path}:{one.line}  {one.words}", flush=True)
    for name, found in tally.items():
        print(f"{name}: {sum(found)} of {len(found)} caught")
    total = [c for found in tally.values() for c in found]
    print(f"{sum(total)} of {len(total)} faults caught, {sum(total) / max(len(total), 1):.0%}")


if __name__ == "__main__":
    main()
