"""Devices that were let in over the local network."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from .builds import Store
from .moment import now
from .tables import DeviceKept


@dataclass(frozen=True, slots=True)
class DeviceRow:
    """A paired device: its name, when, whether it may only read, or let loads draw, and whether it was shut out again."""

    id: int
    key: str
    name: str
    paired_at: datetime
    reads_only: bool
    revoked: bool
    may_load: bool


class DeviceStore:
    """Devices in a store's file."""

    def __init__(self, store: Store) -> None:
        self._writer, self._reader = store.writer, store.reader

    def add(self, name: str, *, reads_only: bool) -> str:
        """A device that gave the code; its key, which its cookie holds."""
        with Session(self._writer) as session, session.begin():
            made = DeviceKept(name=name, paired_at=now(), reads_only=reads_only, revoked=False)
            session.add(made)
            session.flush()
            return made.key

    def get(self, key: str) -> DeviceRow | None:
        """A device by its key."""
        with Session(self._reader) as session:
            found = session.scalar(select(DeviceKept).where(DeviceKept.key == key))
            return _row(found) if found else None

    def all(self) -> tuple[DeviceRow, ...]:
        """Every device, the newest first."""
        with Session(self._reader) as session:
            return tuple(_row(d) for d in session.scalars(select(DeviceKept).order_by(DeviceKept.id.desc())))

    def revoke(self, key: str) -> None:
        """Shut a device out."""
        self._set(key, revoked=True)

    def allow(self, key: str, *, may_load: bool) -> None:
        """Say whether a device may add instruments and let loads draw."""
        self._set(key, may_load=may_load)

    def _set(self, key: str, **changes: bool) -> None:
        with Session(self._writer) as session, session.begin():
            session.execute(update(DeviceKept).where(DeviceKept.key == key).values(**changes))


def _row(d: DeviceKept) -> DeviceRow:
    return DeviceRow(d.id, d.key, d.name, d.paired_at, d.reads_only, d.revoked, d.may_load)
