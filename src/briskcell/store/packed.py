"""A document as it lies in a row: JSON, compressed to about a seventh; rows of an earlier version are plain text."""

from __future__ import annotations

import json
import zlib
from typing import Any

from sqlalchemy import JSON, Dialect, LargeBinary
from sqlalchemy.types import TypeDecorator

MOST = 20_000_000  # bytes of a document: no plan has a tenth of that, whatever its packed row blows up to


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


class Told(TypeDecorator[Any]):
    """What is said beside a row as JSON. What cannot be read of it, on a damaged page, is as if nothing had been said."""

    impl = JSON
    cache_ok = True

    def __init__(self, otherwise: str = "null") -> None:
        super().__init__(none_as_null=True)
        self.otherwise = otherwise

    def coerce_compared_value(self, op: Any, value: Any) -> Any:
        return self.impl_instance.coerce_compared_value(op, value)  # the parts of it are not JSON themselves

    def result_processor(self, dialect: Dialect, coltype: object) -> Any:  # noqa: ARG002  the library's own signature
        return self._read

    def _read(self, value: Any) -> Any:
        otherwise = json.loads(self.otherwise)
        try:
            found = otherwise if value is None else json.loads(value)
        except (ValueError, TypeError, RecursionError):
            return otherwise
        return found if otherwise is None or isinstance(found, type(otherwise)) else otherwise


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
        found = json.loads(value if isinstance(value, str) else _inflated(value))
    except (ValueError, zlib.error, TypeError, RecursionError) as error:
        raise UnreadableError("A stored revision holds no document that can be read.") from error
    if not isinstance(found, dict):
        raise UnreadableError("A stored revision holds something else than a document.")
    return found


def _inflated(value: bytes) -> bytes:
    reader = zlib.decompressobj()
    found = reader.decompress(value, MOST)
    if not reader.eof:
        raise ValueError("cut off, or larger than any document")
    return found
