"""Tables that ship with the core; a row without a source does not load."""

from __future__ import annotations

import csv
from functools import cache
from importlib.resources import files

from briskcell.model.errors import FigureError


@cache
def table(name: str) -> tuple[dict[str, str], ...]:
    """Rows of ``data/NAME.csv``.

    Parameters
    ----------
    name : str
        The table's name without ending.

    Returns
    -------
    tuple of dict
        Column to text, one a row.

    Raises
    ------
    FigureError
        If a row has no source.
    """
    text = files("briskcell.core.data").joinpath(f"{name}.csv").read_text("utf-8")
    return sourced(name, tuple(csv.DictReader(text.splitlines())))


def sourced(name: str, rows: tuple[dict[str, str], ...]) -> tuple[dict[str, str], ...]:
    """The rows as they are, if each says where it comes from.

    Parameters
    ----------
    name : str
        The table's name, for the error.
    rows : tuple of dict
        Column to text, one a row.

    Returns
    -------
    tuple of dict
        The same rows.

    Raises
    ------
    FigureError
        If a row has no source.
    """
    for number, row in enumerate(rows, start=2):
        if not (row.get("source") or "").strip():
            raise FigureError("source", f"Line {number} of the table {name} has no source.", fix="Name the source.")
    return rows
