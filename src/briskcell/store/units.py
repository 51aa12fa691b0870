"""Physical units of a build, and the readings taken on them: added, never changed; the last of a step holds."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from .builds import Store
from .moment import now
from .tables import ReadingKept, UnitKept


@dataclass(frozen=True, slots=True)
class UnitRow:
    """One console that was made from a build."""

    id: int
    key: str
    name: str
    created_at: datetime


@dataclass(frozen=True, slots=True)
class ReadingRow:
    """A reading of a step: its value, None where it was taken back; why it is let pass where it is off; the class that was read.

    ``note`` says by whom or by which meter it was taken and what that may be off; of pads, what their print says and where plus is.
    """

    step: str
    value: float | None
    reason: str
    part_class: str
    at: datetime
    note: dict[str, str]


class UnitStore:
    """Units and readings in a store's file."""

    def __init__(self, store: Store) -> None:
        self._writer, self._reader = store.writer, store.reader

    def units(self, build_id: int) -> tuple[UnitRow, ...]:
        """The units of a build, the oldest first."""
        with Session(self._reader) as session:
            found = session.scalars(select(UnitKept).where(UnitKept.build_id == build_id).order_by(UnitKept.id))
            return tuple(UnitRow(u.id, u.key, u.name, u.created_at) for u in found)

    def get(self, unit_id: int) -> UnitRow | None:
        """A unit by its number."""
        with Session(self._reader) as session:
            found = session.get(UnitKept, unit_id)
            return UnitRow(found.id, found.key, found.name, found.created_at) if found else None

    def build_of(self, unit_id: int) -> int | None:
        """The build that a unit was made from."""
        with Session(self._reader) as session:
            found = session.get(UnitKept, unit_id)
            return found.build_id if found else None

    def add(self, build_id: int, name: str) -> int:
        """A new unit, nothing of it proven; its number."""
        with Session(self._writer) as session, session.begin():
            made = UnitKept(build_id=build_id, name=name, created_at=now())
            session.add(made)
            session.flush()
            return made.id

    def take(
        self,
        unit_id: int,
        step: str,
        value: float | None,
        reason: str = "",
        part_class: str = "",
        note: dict[str, str] | None = None,
    ) -> None:
        """A reading on a unit."""
        with Session(self._writer) as session, session.begin():
            session.add(
                ReadingKept(
                    unit_id=unit_id, step=step, value=value, reason=reason, part_class=part_class, note=note or None, at=now()
                )
            )

    def readings(self, unit_id: int) -> tuple[ReadingRow, ...]:
        """Every reading of a unit, the oldest first."""
        with Session(self._reader) as session:
            found = session.scalars(select(ReadingKept).where(ReadingKept.unit_id == unit_id).order_by(ReadingKept.id))
            return tuple(ReadingRow(r.step, r.value, r.reason, r.part_class, r.at, dict(r.note or {})) for r in found)
