"""Measured runs: a row each in the database, and their readings in a file that only grows.

A reading is in the file before it is shown: the death of the process loses at most the one on its way. What is half written is
passed over when it is read.
"""

from __future__ import annotations

import os
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from .builds import Store
from .moment import now
from .tables import InstrumentKept, RunKept, UnitKept

COLUMNS = ("t_s", "volts", "amps", "celsius")
ROW = np.dtype("<f8")
BYTES = len(COLUMNS) * ROW.itemsize
FOLDER = "runs"


@dataclass(frozen=True, slots=True)
class RunRow:
    """A run: of which unit, what it is, how it stands, and what is known about it."""

    id: int
    key: str
    unit_id: int
    kind: str
    title: str
    state: str
    words: str
    began_at: datetime
    about: dict[str, Any]


@dataclass(frozen=True, slots=True)
class InstrumentRow:
    """An instrument: where it is, and its description as it was written."""

    id: int
    address: str
    description: str


class RunStore:
    """Runs and instruments in a store's file, and readings beside it."""

    def __init__(self, store: Store, folder: Path) -> None:
        self._writer, self._reader, self._folder = store.writer, store.reader, folder / FOLDER

    def add(self, unit_id: int, kind: str, title: str, about: dict[str, Any], state: str = "running") -> int:
        """A new run; its number. Its file is made with it."""
        with Session(self._writer) as session, session.begin():
            made = RunKept(unit_id=unit_id, kind=kind, title=title[:120], state=state, words="", began_at=now(), about=about)
            session.add(made)
            session.flush()
            self._folder.mkdir(exist_ok=True)
            self.path(made.id).write_bytes(b"")
            return made.id

    def set(self, run_id: int, **changes: Any) -> None:
        """Change what is said about a run: ``state``, ``words``, ``title``, ``about``, ``began_at``."""
        with Session(self._writer) as session, session.begin():
            if (found := session.get(RunKept, run_id)) is not None:
                for name, value in changes.items():
                    setattr(found, name, value)

    def get(self, run_id: int) -> RunRow | None:
        """A run by its number."""
        with Session(self._reader) as session:
            found = session.get(RunKept, run_id)
            return _row(found) if found else None

    def of_unit(self, unit_id: int) -> tuple[RunRow, ...]:
        """The runs of a unit, the newest first."""
        with Session(self._reader) as session:
            found = session.scalars(
                select(RunKept).where(RunKept.unit_id == unit_id).order_by(RunKept.began_at.desc(), RunKept.id.desc())
            )
            return tuple(_row(r) for r in found)

    def of_build(self, build_id: int) -> tuple[RunRow, ...]:
        """The runs of all units of a build, the newest first."""
        with Session(self._reader) as session:
            wanted = select(RunKept).join(UnitKept, UnitKept.id == RunKept.unit_id).where(UnitKept.build_id == build_id)
            return tuple(_row(r) for r in session.scalars(wanted.order_by(RunKept.began_at.desc(), RunKept.id.desc())))

    def remove(self, run_id: int) -> None:
        """Forget a run and its readings."""
        with Session(self._writer) as session, session.begin():
            if (found := session.get(RunKept, run_id)) is not None:
                session.delete(found)
        self.path(run_id).unlink(missing_ok=True)

    def left(self, state: str) -> tuple[RunRow, ...]:
        """Runs that an earlier program left in a state."""
        with Session(self._reader) as session:
            return tuple(_row(r) for r in session.scalars(select(RunKept).where(RunKept.state == state)))

    def path(self, run_id: int) -> Path:
        """The file of a run's readings."""
        return self._folder / f"{int(run_id)}.course"

    def count(self, run_id: int) -> int:
        """How many whole readings a run has."""
        try:
            return self.path(run_id).stat().st_size // BYTES
        except OSError:
            return 0

    def rows(self, run_id: int, first: int = 0, most: int | None = None) -> NDArray[np.float64]:
        """Readings of a run from the ``first`` on.

        Returns
        -------
        ndarray, shape (n, 4)
            Seconds since it began, volts, amps, degrees Celsius; nan where that was not read.
        """
        whole = max(self.count(run_id) - first, 0)
        n = whole if most is None else min(whole, most)
        if n == 0:
            return np.empty((0, len(COLUMNS)))
        with self.path(run_id).open("rb") as file:
            file.seek(first * BYTES)
            return np.frombuffer(file.read(n * BYTES), dtype=ROW).reshape(-1, len(COLUMNS)).astype(np.float64)

    def instruments(self) -> tuple[InstrumentRow, ...]:
        """Every instrument that is known."""
        with Session(self._reader) as session:
            found = session.scalars(select(InstrumentKept).order_by(InstrumentKept.id))
            return tuple(InstrumentRow(i.id, i.address, i.description) for i in found)

    def add_instrument(self, address: str, description: str) -> int:
        """One more instrument; its number."""
        with Session(self._writer) as session, session.begin():
            made = InstrumentKept(address=address, description=description)
            session.add(made)
            session.flush()
            return made.id

    def remove_instrument(self, instrument_id: int) -> None:
        """Forget an instrument."""
        with Session(self._writer) as session, session.begin():
            if (found := session.get(InstrumentKept, instrument_id)) is not None:
                session.delete(found)


class Appender:
    """Adds readings to a run's file, each whole and at once."""

    def __init__(self, path: Path) -> None:
        self._file = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
        size = os.fstat(self._file).st_size
        if size % BYTES:
            os.ftruncate(self._file, size - size % BYTES)

    def add(self, t_s: float, volts: float = np.nan, amps: float = np.nan, celsius: float = np.nan) -> None:
        """One reading."""
        os.write(self._file, np.array((t_s, volts, amps, celsius), dtype=ROW).tobytes())

    def add_many(self, rows: NDArray[np.float64]) -> None:
        """Many readings, shape (n, 4)."""
        os.write(self._file, np.ascontiguousarray(rows, dtype=ROW).tobytes())

    def close(self) -> None:
        """Put everything on the disk, and end."""
        os.fsync(self._file)
        os.close(self._file)


def _row(kept: RunKept) -> RunRow:
    return RunRow(kept.id, kept.key, kept.unit_id, kept.kind, kept.title, kept.state, kept.words, kept.began_at, dict(kept.about))
