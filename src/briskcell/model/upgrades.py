"""Documents of an earlier Brisk Cell, taken along: what they said by a name is said by a field of its own today."""

from __future__ import annotations

from typing import Any

from .from_version_1 import from_version_1
from .from_version_2 import from_version_2


def upgraded(document: dict[str, Any]) -> dict[str, Any]:
    """The document with today's fields; what has them already stays as it is."""
    if document.get("version") == 1:
        document = from_version_1(document)
    if document.get("version") == 2:
        document = from_version_2(document)
    loads = document.get("loads")
    return document | {"loads": [_timed(p) for p in loads]} if isinstance(loads, list) else document


def _timed(load: Any) -> Any:
    told = not isinstance(load, dict) or "keeps_time" in load or "clock" not in str(load.get("name", "")).lower()
    return load if told else load | {"keeps_time": True}
