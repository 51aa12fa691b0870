"""From a row's name to its number and back. Neither ever changes, so what was asked once is kept."""

from __future__ import annotations

from typing import Literal

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from .tables import Build, Revision, RunKept, UnitKept

Named = Literal["build", "revision", "unit", "run"]
TABLES: dict[Named, type[Build | Revision | UnitKept | RunKept]] = {
    "build": Build,
    "revision": Revision,
    "unit": UnitKept,
    "run": RunKept,
}
MOST_KEPT = 20_000


class Names:
    """The names in a store's file."""

    def __init__(self, reader: Engine) -> None:
        self._reader = reader
        # Plain dictionaries: each step of theirs is whole by itself, and every page asks a hundred times.
        self._ids: dict[tuple[Named, str], int] = {}
        self._keys: dict[tuple[Named, int], str] = {}

    def id_of(self, table: Named, key: str) -> int | None:
        """The number of the row that has a name."""
        if (found := self._ids.get((table, key))) is None:
            kept = TABLES[table]
            with Session(self._reader) as session:
                found = session.scalar(select(kept.id).where(kept.key == key))
            self._keep(table, found, key)
        return found

    def key_of(self, table: Named, row_id: int) -> str | None:
        """The name of a row."""
        if (found := self._keys.get((table, row_id))) is None:
            kept = TABLES[table]
            with Session(self._reader) as session:
                found = session.scalar(select(kept.key).where(kept.id == row_id))
            self._keep(table, row_id, found)
        return found

    def forget(self) -> None:
        """Begin anew: another shelf stands here now, or too many were asked for."""
        self._ids.clear()
        self._keys.clear()

    def _keep(self, table: Named, row_id: int | None, key: str | None) -> None:
        if len(self._ids) >= MOST_KEPT:
            self.forget()
        if row_id is not None and key is not None:
            self._ids[table, key], self._keys[table, row_id] = row_id, key
