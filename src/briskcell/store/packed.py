"""A document as it lies in a row: JSON, compressed to about a seventh; rows of an earlier version are plain text."""

from __future__ import annotations

import json
import zlib
from typing import Any

from sqlalchemy import Dialect, LargeBinary
from sqlalchemy.types import TypeDecorator


class UnreadableError(ValueError):
    """A row that holds no document: damaged, or written by something else."""


class Packed(TypeDecorator[dict[str, Any]]):
    """A JSON document in a column of bytes."""

    impl = LargeBinary
    cache_ok = True

    def process_bind_param(self, value: dict[str, Any] | None, dialect: Dialect) -> bytes | None:  # noqa: ARG002  the library's own signature
        return None if value is None else zlib.compress(json.dumps(value, ensure_ascii=False, separators=(",", ":")).encode(), 6)

    def result_processor(self, dialect: Dialect, coltype: object) -> Any:  # noqa: ARG002  the library's own signature
        return unpacked  # the driver's own would choke on a row of text


def unpacked(value: Any) -> dict[str, Any] | None:
    """The document of a row.

    Raises
    ------
    UnreadableError
        If it is none.
    """
    if value is None:
        return None
    try:
        found = json.loads(value if isinstance(value, str) else zlib.decompress(value))
    except (ValueError, zlib.error, TypeError) as error:
        raise UnreadableError("A stored revision holds no document that can be read.") from error
    if not isinstance(found, dict):
        raise UnreadableError("A stored revision holds something else than a document.")
    return found
