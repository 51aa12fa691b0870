"""Leases: what was begun outside the store, as rows. One that another process holds is stale: its folder is ours alone now."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from .builds import Store
from .moment import now
from .tables import LeaseKept, new_key


@dataclass(frozen=True, slots=True)
class Lease:
    """One of them: ``kind`` says what it is, ``about`` what it takes to let it go."""

    id: int
    kind: str
    about: dict[str, Any]
    began_at: datetime


class LeaseStore:
    """Leases in a store's file. Each instance is a holder of its own."""

    def __init__(self, store: Store) -> None:
        self._writer, self._reader = store.writer, store.reader
        self._holder = new_key()

    def take(self, kind: str, about: dict[str, Any]) -> Lease:
        """A new one. It stands on the disk before this comes back."""
        with Session(self._writer) as session, session.begin():
            made = LeaseKept(kind=kind, holder=self._holder, about=about, began_at=now())
            session.add(made)
            session.flush()
            return _row(made)

    def let_go(self, lease_id: int) -> None:
        """Forget one: nothing is left of it."""
        with Session(self._writer) as session, session.begin():
            if (found := session.get(LeaseKept, lease_id)) is not None:
                session.delete(found)

    def stale(self, kind: str) -> tuple[Lease, ...]:
        """Those of a kind that an earlier program left."""
        return self._found(LeaseKept.kind == kind, LeaseKept.holder != self._holder)

    def all(self, kind: str) -> tuple[Lease, ...]:
        """All of a kind, the first begun first."""
        return self._found(LeaseKept.kind == kind)

    def _found(self, *chosen: Any) -> tuple[Lease, ...]:
        with Session(self._reader) as session:
            return tuple(_row(row) for row in session.scalars(select(LeaseKept).where(*chosen).order_by(LeaseKept.id)))


def _row(kept: LeaseKept) -> Lease:
    return Lease(kept.id, kept.kind, dict(kept.about), kept.began_at)
