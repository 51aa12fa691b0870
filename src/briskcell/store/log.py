"""A unit's log: entries in the database, photographs as files beside it; and how meter logs were laid out."""

from __future__ import annotations

import os
import re
import secrets
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from .builds import Store
from .moment import now
from .tables import EntryKept, LayoutKept

FOLDER = "photos"
PHOTO = re.compile(r"[0-9a-f]{24}\.(?:jpg|png|webp)")  # as a photograph is named


@dataclass(frozen=True, slots=True)
class EntryRow:
    """A line of a log: what kind, in words, when, what else is known of it, and the name of its photograph."""

    id: int
    unit_id: int
    kind: str
    words: str
    at: datetime
    about: dict[str, Any]
    file: str


class LogStore:
    """Logs in a store's file, and photographs in a folder beside it."""

    def __init__(self, store: Store, folder: Path) -> None:
        self._writer, self._reader, self._folder = store.writer, store.reader, folder / FOLDER

    def add(self, unit_id: int, kind: str, words: str, about: dict[str, Any], at: datetime | None = None, file: str = "") -> int:
        """One more line; its number."""
        with Session(self._writer) as session, session.begin():
            when = at or now()
            made = EntryKept(unit_id=unit_id, kind=kind, words=words, at=when, about=about, file=file)
            session.add(made)
            session.flush()
            return made.id

    def of_unit(self, unit_id: int) -> tuple[EntryRow, ...]:
        """A unit's lines, the newest first."""
        with Session(self._reader) as session:
            found = session.scalars(
                select(EntryKept).where(EntryKept.unit_id == unit_id).order_by(EntryKept.at.desc(), EntryKept.id.desc())
            )
            return tuple(_row(e) for e in found)

    def get(self, entry_id: int) -> EntryRow | None:
        """A line by its number."""
        with Session(self._reader) as session:
            found = session.get(EntryKept, entry_id)
            return _row(found) if found else None

    def note(self, entry_id: int, about: dict[str, Any]) -> None:
        """Put what else is known about a line."""
        with Session(self._writer) as session, session.begin():
            if (found := session.get(EntryKept, entry_id)) is not None:
                found.about = about

    def remove(self, entry_id: int) -> None:
        """Forget a line and its photograph."""
        with Session(self._writer) as session, session.begin():
            found = session.get(EntryKept, entry_id)
            file = found.file if found else ""
            if found is not None:
                session.delete(found)
        if PHOTO.fullmatch(file):
            (self._folder / file).unlink(missing_ok=True)

    def keep_photo(self, body: bytes, suffix: str) -> str:
        """Keep a photograph, whole or not at all; its name."""
        self._folder.mkdir(exist_ok=True)
        name = f"{secrets.token_hex(12)}{suffix}"
        part = self._folder / f".{name}"
        with part.open("wb") as file:
            file.write(body)
            file.flush()
            os.fsync(file.fileno())
        part.replace(self._folder / name)
        return name

    def photo(self, name: str) -> Path:
        """Where a photograph is."""
        return self._folder / (name if PHOTO.fullmatch(name) else "none")

    def layout(self, signature: str) -> dict[str, Any] | None:
        """How the last log of that kind was laid out."""
        with Session(self._reader) as session:
            found = session.get(LayoutKept, signature)
            return dict(found.layout) if found else None

    def keep_layout(self, signature: str, layout: dict[str, Any]) -> None:
        """Keep it for the next one."""
        with Session(self._writer) as session, session.begin():
            session.merge(LayoutKept(signature=signature, layout=layout))


def _row(e: EntryKept) -> EntryRow:
    return EntryRow(e.id, e.unit_id, e.kind, e.words, e.at, dict(e.about), e.file)
