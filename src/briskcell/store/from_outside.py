"""A database that comes from outside, judged before it is taken in: whole, of our own schema and nothing else, each row read."""

from __future__ import annotations

import json
import re
import sqlite3
import tempfile
from contextlib import closing
from functools import cache
from pathlib import Path
from typing import Any

from sqlalchemy import DateTime, String, select
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import QueryableAttribute

from .engines import open_engines
from .log import PHOTO
from .packed import Packed, Told, UnreadableError
from .tables import Base, EntryKept

MOST_JSON = 2_000_000  # characters of what lies in a row as JSON
VERSIONS = "alembic_version"


def schema_fault(database: Path, *, newest: bool) -> str:
    """What is wrong with a database as such; empty where nothing is.

    Parameters
    ----------
    database : Path
        The file. It is only read.
    newest : bool
        Whether it has to be of this program's own schema; else of an earlier one.
    """
    with closing(sqlite3.connect(f"{database.resolve().as_uri()}?mode=ro", uri=True)) as raw:
        raw.execute("PRAGMA trusted_schema = OFF")
        raw.execute("PRAGMA cell_size_check = ON")
        try:
            whole = str(raw.execute("PRAGMA integrity_check(1)").fetchone()[0])
            lost = raw.execute("PRAGMA foreign_key_check").fetchone()
            made = raw.execute("SELECT type, name, coalesce(sql, '') FROM sqlite_master").fetchall()
        except sqlite3.Error as error:
            return f"its database cannot be read ({error})."
        if whole != "ok":
            return f"its database is not whole ({whole[:80]})."
        if lost is not None:
            return f"a row of its table {str(lost[0])[:40]} belongs to nothing."
        known = {table.name for table in Base.metadata.tables.values()} | {VERSIONS, "sqlite_sequence"}
        for kind, name, sql in made:
            if kind not in ("table", "index"):
                return f"it holds a {kind}, which no shelf has."
            if kind == "table" and name not in known:
                return f"it holds a table “{name[:40]}”, which no shelf has."
            if re.search(r"\bCHECK\b|\bGENERATED\b|\bWHERE\b|\bVIRTUAL\b", str(sql), re.IGNORECASE):
                return f"its table “{name[:40]}” computes something, which none of a shelf does."
        if newest and shape(raw) != own_shape():
            return "its tables are laid out otherwise than a shelf's."
    return ""


def shape(raw: sqlite3.Connection) -> dict[str, Any]:
    """Tables with their columns, and which columns are indexed."""
    names = [n for (n,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'")]
    return {
        name: (
            sorted(tuple(map(str, row[1:7])) for row in raw.execute(f'PRAGMA table_xinfo("{name}")')),
            sorted(
                tuple(str(c[2]) for c in raw.execute(f'PRAGMA index_info("{index[1]}")'))
                for index in raw.execute(f'PRAGMA index_list("{name}")')
            ),
        )
        for name in names
    }


@cache
def own_shape() -> dict[str, Any]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "own.sqlite3"
        for engine in open_engines(path):
            engine.dispose()
        with closing(sqlite3.connect(path)) as raw:
            return shape(raw)


def row_fault(database: Path, photos: Path) -> str:
    """What is wrong with the rows of a database of this schema, each read as the program reads it; empty where nothing is.

    A revision whose document cannot be read takes only its own build, here as on any shelf, and is no fault of the whole.
    """
    writer, reader = open_engines(database)
    try:
        with Session(reader) as session:
            for mapper in Base.registry.mappers:
                columns = [getattr(mapper.class_, c.key) for c in mapper.column_attrs]
                plain = [c for c in columns if not isinstance(c.property.columns[0].type, Packed)]
                for row in session.execute(select(*plain)):
                    if fault := _of_row(plain, tuple(row)):
                        return f"in its table {mapper.local_table}, {fault}"
            for file in session.scalars(select(EntryKept.file).where(EntryKept.file != "")):
                if not PHOTO.fullmatch(file) or not (photos / file).is_file():
                    return "a line of its log names a photograph that is not in it."
    except (ValueError, TypeError, OverflowError, RecursionError, UnreadableError) as error:
        return f"a row of its database holds what does not belong there ({str(error)[:80]})."
    finally:
        writer.dispose()
        reader.dispose()
    return ""


def _of_row(columns: list[QueryableAttribute[Any]], row: tuple[Any, ...]) -> str:
    for column, value in zip(columns, row, strict=True):
        kept = column.property.columns[0]
        if value is None:
            continue
        if isinstance(kept.type, Told):
            if len(json.dumps(value)) > MOST_JSON:
                return f"“{column.key}” is too long."
        elif isinstance(kept.type, String):
            if not isinstance(value, str) or len(value) > (kept.type.length or MOST_JSON):
                return f"“{column.key}” is no text of its length."
        elif not isinstance(kept.type, DateTime) and not isinstance(value, (int, float)):
            return f"“{column.key}” is no number."
    return ""
