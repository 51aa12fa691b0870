"""What can still be read of a damaged file of builds, put into a whole one: a page that is lost takes the rows on it, no more."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path

from .engines import newest_schema
from .from_outside import own_shape, shape
from .moment import now
from .tables import new_key

PLAIN = ("alembic_version", "shelf", "layout")  # tables whose rows have no number of their own
STEP = 4_000  # numbers that are tried one by one behind the last row that could be read
# A row that belongs to one that is lost goes with it.
BELONGS = (
    ("revision", "build_id", "build"),
    ("job", "build_id", "build"),
    ("unit", "build_id", "build"),
    ("reading", "unit_id", "unit"),
    ("run", "unit_id", "unit"),
    ("entry", "unit_id", "unit"),
)


@dataclass(frozen=True, slots=True)
class Salvaged:
    """How many rows of which table are lost, and the titles of builds that stand at an earlier change than they did."""

    lost: dict[str, int]
    set_back: tuple[str, ...]


def salvage(damaged: Path, fresh: Path) -> Salvaged:
    """Write what can be read of a database into a new one.

    Raises
    ------
    sqlite3.Error
        If not even what its tables are can be read, or no build.
    """
    fresh.unlink(missing_ok=True)
    uri = f"{damaged.resolve().as_uri()}?mode=ro"
    with closing(sqlite3.connect(uri, uri=True)) as old, closing(sqlite3.connect(fresh)) as new:
        made = old.execute(
            "SELECT type, name, sql FROM sqlite_master WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite_%'"
        ).fetchall()
        lost: dict[str, int] = {}
        with new:
            for kind, _, sql in sorted(made, key=lambda m: m[0] != "table"):
                if kind in ("table", "index"):
                    new.execute(sql)
            for kind, name, _ in made:
                if kind == "table":
                    lost[name] = _table(old, new, name)
            if not new.execute("SELECT count(*) FROM alembic_version").fetchone()[0] and shape(new) == own_shape():
                new.execute("INSERT INTO alembic_version VALUES (?)", (newest_schema(),))
            _sequences(old, new)
            set_back = _mended(new)
        if not new.execute("SELECT count(*) FROM build").fetchone()[0]:
            raise sqlite3.DatabaseError("no build of it can be read")
        new.execute("VACUUM")
    return Salvaged({name: n for name, n in lost.items() if n}, set_back)


def _table(old: sqlite3.Connection, new: sqlite3.Connection, name: str) -> int:
    """Every row of a table that can be read; how many seem to be lost."""
    columns = [str(row[1]) for row in new.execute(f'PRAGMA table_info("{name}")')]
    listed, marks = ", ".join(f'"{c}"' for c in columns), ", ".join("?" * len(columns))
    rows = _scanned(old, f'SELECT {listed} FROM "{name}"') if name in PLAIN else _by_number(old, name, listed)
    count = 0
    for row in rows:
        with suppress(sqlite3.IntegrityError):
            new.execute(f'INSERT INTO "{name}" ({listed}) VALUES ({marks})', row)
            count += 1
    return max(_had(old, name) - count, 0)


def _scanned(old: sqlite3.Connection, query: str) -> Iterator[tuple[object, ...]]:
    with suppress(sqlite3.DatabaseError):
        yield from old.execute(query)


def _by_number(old: sqlite3.Connection, name: str, listed: str) -> Iterator[tuple[object, ...]]:
    """Rows by their numbers: where one cannot be read, the next are tried one by one."""
    last = _highest(old, name)
    number = 0
    while number < last:
        try:
            cursor = old.execute(f'SELECT {listed}, "id" FROM "{name}" WHERE "id" > ? ORDER BY "id"', (number,))
            while (row := cursor.fetchone()) is not None:
                number = int(row[-1])
                yield row[:-1]
            return
        except sqlite3.DatabaseError:
            number += 1  # the one after the last that came
            with suppress(sqlite3.DatabaseError):
                row = old.execute(f'SELECT {listed} FROM "{name}" WHERE "id" = ?', (number,)).fetchone()
                if row is not None:
                    yield row


def _highest(old: sqlite3.Connection, name: str) -> int:
    """The highest number that a row of a table can have."""
    for query in (f'SELECT max("id") FROM "{name}"', f"SELECT seq FROM sqlite_sequence WHERE name = '{name}'"):
        with suppress(sqlite3.DatabaseError):
            found = old.execute(query).fetchone()
            if found is not None and found[0] is not None:
                return int(found[0])
    return STEP


def _had(old: sqlite3.Connection, name: str) -> int:
    """How many rows a table had, as far as that can be told."""
    with suppress(sqlite3.DatabaseError):
        return int(old.execute(f'SELECT count(*) FROM "{name}"').fetchone()[0])
    return 0


def _sequences(old: sqlite3.Connection, new: sqlite3.Connection) -> None:
    """Numbers that were given go on from where they were."""
    with suppress(sqlite3.DatabaseError):
        for name, number in old.execute("SELECT name, seq FROM sqlite_sequence").fetchall():
            new.execute("UPDATE sqlite_sequence SET seq = max(seq, ?) WHERE name = ?", (number, name))


def _mended(new: sqlite3.Connection) -> tuple[str, ...]:
    """Let every row belong to one that is there; the titles of builds whose newest change is lost."""
    keyed = "key" in {row[1] for row in new.execute("PRAGMA table_info(build)")}
    for (build,) in new.execute("SELECT DISTINCT build_id FROM revision WHERE build_id NOT IN (SELECT id FROM build)").fetchall():
        at = now().isoformat(sep=" ")
        new.execute("INSERT INTO build (id, created_at) VALUES (?, ?)", (build, at))
        if keyed:
            new.execute("UPDATE build SET key = ? WHERE id = ?", (new_key(), build))
    new.execute("DELETE FROM build WHERE id NOT IN (SELECT build_id FROM revision)")
    tables = {n for (n,) in new.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    for table, column, parent in BELONGS:
        if table in tables:
            new.execute(f"DELETE FROM {table} WHERE {column} NOT IN (SELECT id FROM {parent})")
    for column in ("parent_id", "next_id"):
        if column in {row[1] for row in new.execute("PRAGMA table_info(revision)")}:
            new.execute(f"UPDATE revision SET {column} = NULL WHERE {column} NOT IN (SELECT id FROM revision)")
    there = "SELECT id FROM revision"
    back = [b for (b,) in new.execute(f"SELECT id FROM build WHERE head_id IS NULL OR head_id NOT IN ({there})")]
    newest = "(SELECT max(id) FROM revision WHERE build_id = build.id)"
    for column, otherwise in (("head_id", newest), ("tip_id", newest), ("baseline_id", "NULL")):
        new.execute(f"UPDATE build SET {column} = {otherwise} WHERE {column} IS NULL OR {column} NOT IN ({there})")
    titles = "SELECT coalesce(title, '') FROM revision WHERE id = (SELECT head_id FROM build WHERE id = ?)"
    titled = "title" in {row[1] for row in new.execute("PRAGMA table_info(revision)")}
    return tuple(str(new.execute(titles, (b,)).fetchone()[0]) if titled else f"build {b}" for b in back)
