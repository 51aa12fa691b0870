"""Plans of format version 2: a board that charges and boosts was a regulator with a mark, its charging half a part of its own."""

from __future__ import annotations

from typing import Any


def from_version_2(document: dict[str, Any]) -> dict[str, Any]:
    """A document of version 2 as one of version 3: the mark goes, and the two stay apart, as their figures were stated.

    Which of a build's charge boards was on the marked one nobody had said; the class, put in again, brings its own.
    """
    boards = document.get("converters")
    plain = [_unmarked(b) for b in boards] if isinstance(boards, list) else boards
    return document | ({"converters": plain} if "converters" in document else {}) | {"version": 3}


def _unmarked(board: Any) -> Any:
    return {k: v for k, v in board.items() if k != "combined"} if isinstance(board, dict) else board
