"""What belongs to this computer and not to the shelf: devices that were let in, and what was begun outside the store.

It leaves with no backup, and no backup brings any: a device that was shut out stays out, a load that may draw is not forgotten.
"""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from .tables import DeviceKept, LeaseKept, ShelfKept, new_key

HERE = (DeviceKept.__tablename__, LeaseKept.__tablename__)


def leave_here(database: Path) -> None:
    """Take it out of a copy that is about to leave, so that nothing of it can be read in the file any more."""
    with closing(sqlite3.connect(database)) as raw, raw:
        raw.execute("PRAGMA secure_delete = ON")
        for table in HERE:
            if _columns(raw, "main", table):
                raw.execute(f"DELETE FROM {table}")


def take_along(shelf: Path, coming: Path) -> None:
    """Put what belongs here into a database that is about to take a shelf's place, and begin another epoch.

    It can be done again: what comes is what stands here at that moment.
    """
    with closing(sqlite3.connect(coming)) as raw, raw:
        raw.execute("PRAGMA secure_delete = ON")
        raw.execute(f"UPDATE {ShelfKept.__tablename__} SET epoch = ?", (new_key(),))
        for table in HERE:
            raw.execute(f"DELETE FROM {table}")
        raw.commit()
        if not shelf.exists():
            return
        raw.execute("ATTACH ? AS shelf", (f"{shelf.resolve().as_uri()}?mode=ro",))
        for table in HERE:
            both = [c for c in _columns(raw, "main", table) if c in _columns(raw, "shelf", table)]
            if both:
                columns = ", ".join(f'"{c}"' for c in both)
                raw.execute(f"INSERT INTO main.{table} ({columns}) SELECT {columns} FROM shelf.{table}")
        raw.commit()
        raw.execute("DETACH shelf")


def _columns(raw: sqlite3.Connection, schema: str, table: str) -> list[str]:
    return [str(row[1]) for row in raw.execute(f"PRAGMA {schema}.table_info({table})")]
