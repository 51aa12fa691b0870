"""Builds, their revisions, and the moves between them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, case, func, select, text
from sqlalchemy.orm import Session

from .engines import open_engines
from .moment import now
from .names import Names
from .tables import Build, Revision, ShelfKept, new_key

Document = dict[str, Any]
Summary = dict[str, Any]


class UnknownBuildError(LookupError):
    """No build, or no revision of it, has this number."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredRevision:
    """One state of a build. ``undoes`` and ``redoes`` say in words what a step back or forth would change."""

    build_id: int
    id: int
    key: str
    parent_id: int | None
    words: str
    document: Document
    created_at: datetime
    undoes: str | None = None
    redoes: str | None = None
    changes: int = 0
    baseline_id: int | None = None
    name: str | None = None


ORDERS: dict[str, Callable[[], tuple[ColumnElement[Any], ...]]] = {
    "changed": lambda: (Revision.created_at.desc(),),
    "name": lambda: (func.lower(Revision.title).asc(),),
    "plays": lambda: (_read(Revision.summary["plays_h"].as_float()).desc(), Revision.created_at.desc()),
    "draw": lambda: (_read(Revision.summary["draw_w"].as_float()).desc(), Revision.created_at.desc()),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class BuildRow:
    """A build as it stands on the shelf; ``summary`` is None where it was never made."""

    id: int
    key: str
    head_id: int
    title: str
    changed_at: datetime
    last: str
    summary: Summary | None


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryRow:
    """One revision in the history; ``on_line`` where it lies on the way to the newest, ``head`` where the build stands."""

    id: int
    key: str
    parent_id: int | None
    words: str
    name: str | None
    created_at: datetime
    on_line: bool
    head: bool
    summary: Summary | None = None


@dataclass(frozen=True, slots=True)
class Stale:
    """A save that started from an old revision: kept beside the line as ``mine``, while ``current`` stays the head."""

    current: StoredRevision
    mine: StoredRevision


class Store:
    """All builds in one SQLite file."""

    def __init__(self, path: Path) -> None:
        self.writer, self.reader = open_engines(path)
        self.names = Names(self.reader)
        self.epoch = self._epoch()

    def close(self) -> None:
        """Let go of the file."""
        self.writer.dispose()
        self.reader.dispose()

    def another_shelf(self) -> None:
        """Another shelf stands in the file now: what was known of rows by their number or name is over."""
        self.names.forget()
        self.epoch = self._epoch()

    def _epoch(self) -> str:
        with Session(self.reader) as session:
            found = session.scalar(select(ShelfKept.epoch))
        if found is None:  # its page was lost
            with Session(self.writer) as session, session.begin():
                session.add(ShelfKept(id=1, epoch=new_key()))
            return self._epoch()
        return str(found)

    def builds(
        self, *, like: str = "", first: int = 0, most: int = 50, removed: bool = False, state: str = "", order: str = "changed"
    ) -> tuple[list[BuildRow], int]:
        """Some builds on the shelf, or of those removed from it, and how many there are in all.

        ``state`` is ``fails`` or ``holds``, by the summaries that are kept; ``order`` is one of ``ORDERS``.
        """
        with Session(self.reader) as session:
            chosen: list[ColumnElement[bool]] = [Build.removed_at.is_not(None) if removed else Build.removed_at.is_(None)]
            if like:
                chosen.append(Revision.title.icontains(like, autoescape=True))
            if state:
                fails = func.coalesce(_read(Revision.summary["worst"]["state"].as_string()), "") == "fails"
                chosen.append(fails if state == "fails" else ~fails)
            columns = Build.id, Build.key, Revision.id, Revision.title, Revision.created_at, Revision.words, Revision.summary
            joined = select(*columns).join(Revision, Revision.id == Build.head_id).where(*chosen)
            count = session.scalar(
                select(func.count()).select_from(Build).join(Revision, Revision.id == Build.head_id).where(*chosen)
            )
            rows = session.execute(joined.order_by(*ORDERS[order](), Build.id.desc()).offset(first).limit(most)).all()
            made = [BuildRow(id=r[0], key=r[1], head_id=r[2], title=r[3], changed_at=r[4], last=r[5], summary=r[6]) for r in rows]
            return made, count or 0

    def ids(self) -> list[tuple[int, int]]:
        """Build and number of every revision there is, the oldest first."""
        with Session(self.reader) as session:
            return [(b, r) for b, r in session.execute(select(Revision.build_id, Revision.id).order_by(Revision.id))]

    def heads(self) -> list[tuple[int, int]]:
        """Build and head of every build, removed ones too."""
        with Session(self.reader) as session:
            return [(b, h) for b, h in session.execute(select(Build.id, Build.head_id).order_by(Build.id)) if h is not None]

    def create(self, document: Document, words: str, summary: Summary | None = None) -> int:
        """A new build with its first revision; its number."""
        with Session(self.writer) as session, session.begin():
            return self._create(session, document, words, summary)

    def create_first(self, documents: Sequence[tuple[Document, Summary | None]], words: str) -> int:
        """Builds for a store that never had one, all or none of them; how many were made."""
        with Session(self.writer) as session, session.begin():
            if session.scalar(select(func.count()).select_from(Build)):
                return 0
            for document, summary in documents:
                self._create(session, document, words, summary)
            return len(documents)

    def _create(self, session: Session, document: Document, words: str, summary: Summary | None) -> int:
        build = Build(created_at=now())
        session.add(build)
        session.flush()
        self._advance(session, build, self._add(session, build, None, document, words, summary))
        return build.id

    def head(self, build_id: int) -> StoredRevision:
        """A build as it is now."""
        with Session(self.reader) as session:
            build = _build(session, build_id)
            return self._stored(session, build, build.head_id)

    def head_id(self, build_id: int) -> int | None:
        """The number of the revision that a build stands at."""
        with Session(self.reader) as session:
            return _build(session, build_id).head_id

    def revision(self, build_id: int, revision_id: int) -> StoredRevision:
        """A build as it was or would have been."""
        with Session(self.reader) as session:
            return self._stored(session, _build(session, build_id), revision_id)

    def history(self, build_id: int, first: int = 0, most: int = 100) -> tuple[list[HistoryRow], int]:
        """Some revisions of a build, newest first; and how many there are in all."""
        with Session(self.reader) as session:
            build = _build(session, build_id)
            columns = (
                Revision.id,
                Revision.key,
                Revision.parent_id,
                Revision.words,
                Revision.name,
                Revision.created_at,
                Revision.summary,
            )
            own = Revision.build_id == build.id
            found = session.execute(select(*columns).where(own).order_by(Revision.id.desc()).offset(first).limit(most)).all()
            count = session.scalar(select(func.count()).where(own)) or 0
            line = set(session.scalars(text(_LINE), {"tip": build.tip_id, "least": found[-1].id if found else 0}))
            made = [
                HistoryRow(
                    id=r.id,
                    key=r.key,
                    parent_id=r.parent_id,
                    words=r.words,
                    name=r.name,
                    created_at=r.created_at,
                    on_line=r.id in line,
                    head=r.id == build.head_id,
                    summary=r.summary,
                )
                for r in found
            ]
            return made, count

    def name(self, build_id: int, revision_id: int, name: str) -> None:
        """Give a revision a name, or take it away with an empty one."""
        with Session(self.writer) as session, session.begin():
            _revision(session, _build(session, build_id), revision_id).name = name[:120] or None

    def summarise(self, revision_id: int, title: str, summary: Summary) -> None:
        """Keep what the shelf shows of a revision that an earlier version wrote."""
        with Session(self.writer) as session, session.begin():
            if (found := session.get(Revision, revision_id)) is not None:
                found.title, found.summary = title[:120], summary

    def save(
        self, build_id: int, base_id: int, document: Document, words: str, summary: Summary | None = None
    ) -> StoredRevision | Stale:
        """Save a change that started from ``base_id``. From the head it becomes the head; else it is only kept."""
        with Session(self.writer) as session, session.begin():
            build = _build(session, build_id)
            base = _revision(session, build, base_id)
            fresh = base_id == build.head_id
            new = self._add(session, build, base.id, document, words, summary)
            if fresh:
                base.next_id = new.id
                self._advance(session, build, new)
                return self._stored(session, build, new.id)
            return Stale(self._stored(session, build, build.head_id), self._stored(session, build, new.id))

    def step(self, build_id: int, base_id: int, *, back: bool) -> StoredRevision:
        """Undo or redo one change; where the page is stale, or there is no such step, nothing moves."""
        with Session(self.writer) as session, session.begin():
            build = _build(session, build_id)
            if base_id == build.head_id:
                here = _revision(session, build, build.head_id)
                target = here.parent_id if back else here.next_id
                if target is not None:
                    build.head_id = target
            return self._stored(session, build, build.head_id)

    def mark(self, build_id: int, revision_id: int | None) -> None:
        """Set the baseline that numbers are compared with, or take it away."""
        with Session(self.writer) as session, session.begin():
            build = _build(session, build_id)
            build.baseline_id = None if revision_id is None else _revision(session, build, revision_id).id

    def shelve(self, build_id: int, *, removed: bool) -> None:
        """Take a build off the shelf, or put it back; nothing is deleted."""
        with Session(self.writer) as session, session.begin():
            _build(session, build_id).removed_at = now() if removed else None

    @staticmethod
    def _add(
        session: Session, build: Build, parent: int | None, document: Document, words: str, summary: Summary | None
    ) -> Revision:
        title = str(document.get("name", ""))[:120]
        new = Revision(
            build_id=build.id,
            parent_id=parent,
            created_at=now(),
            words=words[:400],
            document=document,
            title=title,
            summary=summary,
        )
        session.add(new)
        session.flush()
        return new

    @staticmethod
    def _advance(session: Session, build: Build, new: Revision) -> None:
        build.head_id = build.tip_id = new.id
        session.flush()

    def _stored(self, session: Session, build: Build, revision_id: int | None) -> StoredRevision:
        r = _revision(session, build, revision_id)
        after = session.scalar(select(Revision.words).where(Revision.id == r.next_id)) if r.next_id is not None else None
        count = select(func.count()).where(Revision.build_id == build.id)
        return StoredRevision(
            build_id=build.id,
            id=r.id,
            key=r.key,
            parent_id=r.parent_id,
            words=r.words,
            document=r.document,
            created_at=r.created_at,
            undoes=r.words if r.parent_id is not None else None,
            redoes=after if r.id == build.head_id else None,
            changes=session.scalar(count) or 0,
            baseline_id=build.baseline_id,
            name=r.name,
        )


# From the tip down its parents as far as the page reaches: numbers alone.
_LINE = """
WITH RECURSIVE line(id, parent) AS (
    SELECT id, parent_id FROM revision WHERE id = :tip
    UNION ALL SELECT r.id, r.parent_id FROM revision r JOIN line ON r.id = line.parent WHERE r.id >= :least
) SELECT id FROM line
"""


def _read(part: ColumnElement[Any]) -> ColumnElement[Any]:
    """A part of a summary, nothing where the summary lies on a damaged page: else one such would end the whole question."""
    return case((func.json_valid(Revision.summary) == 1, part))


def _build(session: Session, build_id: int) -> Build:
    build = session.get(Build, build_id)
    if build is None:
        raise UnknownBuildError(f"There is no build {build_id}.")
    return build


def _revision(session: Session, build: Build, revision_id: int | None) -> Revision:
    revision = session.get(Revision, revision_id)
    if revision is None or revision.build_id != build.id:
        raise UnknownBuildError(f"Build {build.id} has no revision {revision_id}.")
    return revision
