"""Devices that were let in over the local network."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from .builds import Store
from .tables import DeviceKept


@dataclass(frozen=True, slots=True)
class DeviceRow:
    """A paired device: its name, when, whether it may only read, and whether it was shut out again."""

    id: int
    name: str
    paired_at: datetime
    reads_only: bool
    revoked: bool


class DeviceStore:
    """Devices in a store's file."""

    def __init__(self, store: Store) -> None:
        self._writer, self._reader = store.writer, store.reader

    def add(self, name: str, *, reads_only: bool) -> int:
        """A device that gave the code; its number."""
        with Session(self._writer) as session, session.begin():
            made = DeviceKept(name=name, paired_at=datetime.now(UTC).replace(tzinfo=None), reads_only=reads_only, revoked=False)
            session.add(made)
            session.flush()
            return made.id

    def get(self, device_id: int) -> DeviceRow | None:
        """A device by its number."""
        with Session(self._reader) as session:
            found = session.get(DeviceKept, device_id)
            return _row(found) if found else None

    def all(self) -> tuple[DeviceRow, ...]:
        """Every device, the newest first."""
        with Session(self._reader) as session:
            return tuple(_row(d) for d in session.scalars(select(DeviceKept).order_by(DeviceKept.id.desc())))

    def revoke(self, device_id: int) -> None:
        """Shut a device out."""
        with Session(self._writer) as session, session.begin():
            if (found := session.get(DeviceKept, device_id)) is not None:
                found.revoked = True


def _row(d: DeviceKept) -> DeviceRow:
    return DeviceRow(d.id, d.name, d.paired_at, d.reads_only, d.revoked)
