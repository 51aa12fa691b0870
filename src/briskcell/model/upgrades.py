"""Documents of an earlier Brisk Cell, taken along: what they said by a name is said by a field of its own today."""

from __future__ import annotations

from typing import Any

from .from_version_1 import from_version_1


def upgraded(document: dict[str, Any]) -> dict[str, Any]:
    """The document with today's fields; what has them already stays as it is."""
    if document.get("version") == 1:
        document = from_version_1(document)
    return document | {
        key: [_with(part, field, says) for part in parts] if isinstance(parts := document.get(key), list) else parts
        for key, field, says in (("loads", "keeps_time", _clock), ("converters", "combined", _combined))
        if key in document
    }


def _with(part: Any, field: str, says: Any) -> Any:
    return part | {field: True} if isinstance(part, dict) and field not in part and says(part) else part


def _clock(load: dict[str, Any]) -> bool:
    return "clock" in str(load.get("name", "")).lower()


def _combined(board: dict[str, Any]) -> bool:
    return str(board.get("part_class", "")).startswith("combined")
