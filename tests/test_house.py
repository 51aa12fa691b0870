"""The house: what a door may ask of the core, what leaves services, how long a function may get."""

from __future__ import annotations

import ast
import importlib
import inspect
from collections.abc import Iterator
from pathlib import Path

import pytest

import briskcell

HOME = Path(briskcell.__file__).parent
# What a door may call: the assessment, its stations, and the working of its numbers. All else it may name, as types and tables.
ASKED = ("briskcell.core.assess", "briskcell.core.stations", "briskcell.core.workings")
DOORS = sorted([HOME / "cli.py", *(HOME / "web").rglob("*.py")])
LONGEST = 60  # lines of a function's body


def imported(file: Path) -> Iterator[tuple[str, str]]:
    for node in ast.walk(ast.parse(file.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module and node.level == 0:
            yield from ((node.module, alias.name) for alias in node.names)


@pytest.mark.parametrize("file", DOORS, ids=lambda f: str(f.relative_to(HOME)))
def test_a_door_asks_the_core_for_nothing_but_answers_and_their_types(file: Path) -> None:
    asked = [(m, n) for m, n in imported(file) if m.startswith("briskcell.core") and m not in ASKED]
    works = [f"{m}.{n}" for m, n in asked if inspect.isfunction(getattr(importlib.import_module(m), n))]
    assert not works, "put it into the answers, or behind a service"


def functions(file: Path) -> Iterator[tuple[str, int]]:
    """Every function with the lines of its body, its words apart."""
    for node in ast.walk(ast.parse(file.read_text("utf-8"))):
        if isinstance(node, ast.FunctionDef):
            does = node.body[1:] if ast.get_docstring(node) is not None else node.body
            lines = does[-1].end_lineno - does[0].lineno + 1 if does else 0  # type: ignore[operator]
            yield f"{file.relative_to(HOME)}: {node.name}", lines


def test_no_function_is_longer_than_a_screen() -> None:
    longer = {name: lines for file in HOME.rglob("*.py") for name, lines in functions(file) if lines > LONGEST}
    assert not longer
