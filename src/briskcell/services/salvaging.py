"""A file of builds that is damaged: what can be read of it goes on, the damaged one is kept beside it, and pages say so."""

from __future__ import annotations

import shutil
import sqlite3
from datetime import UTC, datetime
from pathlib import Path

import structlog

from briskcell.store import Store, StoreError
from briskcell.store.engines import DamagedError
from briskcell.store.salvage import Salvaged, salvage

KEPT = "damaged"  # and the time: what could not be read whole
FRESH = "salvaged.sqlite3"


def opened(path: Path) -> tuple[Store, str]:
    """A store, and what there is to say about it: nothing, as a rule.

    Raises
    ------
    StoreError
        If it cannot be used, or nothing of it can be read.
    """
    try:
        return Store(path), ""
    except DamagedError as error:
        return _salvaged(path, error)


def _salvaged(path: Path, error: DamagedError) -> tuple[Store, str]:
    fresh = path.with_name(FRESH)
    try:
        found = salvage(path, fresh)
        Store(fresh).close()
    except (sqlite3.Error, StoreError, OSError) as other:
        fresh.unlink(missing_ok=True)
        raise error from other
    aside = path.with_name(f"{KEPT}-{datetime.now(UTC):%Y-%m-%dT%H-%M-%SZ}.sqlite3")
    shutil.copy2(path, aside)
    for more in ("-wal", "-shm"):
        beside = path.with_name(f"{path.name}{more}")
        if beside.exists():
            shutil.copy2(beside, aside.with_name(f"{aside.name}{more}"))
            beside.unlink()
        fresh.with_name(f"{fresh.name}{more}").unlink(missing_ok=True)
    fresh.replace(path)
    words = _words(found, aside)
    structlog.get_logger("brisk-cell").error("salvaged", words=words)
    return Store(path), words


def _words(found: Salvaged, aside: Path) -> str:
    parts = ["The file of builds was damaged. What can be read of it goes on."]
    if found.set_back:
        names = ", ".join(name or "one without a name" for name in found.set_back[:10])
        parts.append(f"At an earlier change than they stood: {names}. Look through their history.")
    if rows := sum(found.lost.values()):
        parts.append(f"{rows} rows are lost ({', '.join(f'{n} of {table}' for table, n in found.lost.items())}).")
    parts.append(f"The damaged file is kept as {aside.name}; a backup holds what was lost, if there is one.")
    return " ".join(parts)
