"""Where one solders or plugs to a class of the library: read from sets that classes share."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from typing import Any

from briskcell.model.terminals import Terminal

UNKNOWN = "."  # in a row, where nobody knows


@cache
def sets() -> tuple[tuple[tuple[str, ...], tuple[str, ...]], ...]:
    """The sets in their order: what each is of, and its rows."""
    found = tomllib.loads(files("briskcell.library.data").joinpath("terminals.toml").read_text("utf-8"))
    return tuple((tuple(s["of"]), tuple(s["terminals"])) for s in found.values())


def terminals_of_class(key: str, kind: str, group: str, row: Mapping[str, Any]) -> tuple[Terminal, ...]:
    """The terminals of a class: those of the first set that names it, its group, its layout or its kind.

    Parameters
    ----------
    key, kind, group : str
        The class, its kind and its group within that.
    row : mapping
        Its figures: of them come what a terminal stands, and the millimetres along an edge.

    Returns
    -------
    tuple of Terminal
        None of what comes on another board, of wires and of what lies inside a part.
    """
    if row.get("half_of") or group in ("wire", "output"):
        return ()
    names = (key, f"{kind}/{group}", f"{kind}={row.get('layout', '')}", kind)
    for of, rows in sets():
        if any(n in of for n in names):
            return tuple(_terminal(line, row) for line in rows)
    return ()


def _terminal(line: str, row: Mapping[str, Any]) -> Terminal:
    """One row: key, role, polarity, print, kind, edge, share of the edge, and after a sign the figure of what it stands."""
    words, _, stands = line.partition("@")
    key, role, polarity, prints, kind, *where = words.split()
    edge, share = (*where, UNKNOWN, UNKNOWN)[:2]
    body = row.get("body") or {}
    along = body.get("width_mm" if edge in ("left", "right") else "length_mm")
    figure = row.get(stands.strip()) if stands else None
    likely = figure.get("likely") if isinstance(figure, dict) else figure
    return Terminal.model_validate(
        {
            "key": key,
            "role": role,
            "polarity": polarity if polarity in "+-" else "",
            "prints": prints,
            "kind": kind,
            "stands_a": likely,
            "edge": None if edge == UNKNOWN else edge,
            "at_mm": round(float(share) * along, 1) if share != UNKNOWN and along else None,
        }
    )
