"""Builds, their revisions, and the moves between them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from .engines import open_engines
from .tables import Build, Revision


class UnknownBuildError(LookupError):
    """No build, or no revision of it, has this number."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredRevision:
    """One state of a build. ``undoes`` and ``redoes`` say in words what a step back or forth would change."""

    build_id: int
    id: int
    parent_id: int | None
    words: str
    document: dict[str, Any]
    created_at: datetime
    undoes: str | None = None
    redoes: str | None = None
    changes: int = 0
    baseline_id: int | None = None
    name: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class BuildRow:
    """A build as it stands on the shelf."""

    id: int
    head_id: int
    changed_at: datetime
    document: dict[str, Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryRow:
    """One revision in the history; ``on_line`` where it lies on the way to the newest, ``head`` where the build stands."""

    id: int
    parent_id: int | None
    words: str
    name: str | None
    created_at: datetime
    on_line: bool
    head: bool


@dataclass(frozen=True, slots=True)
class Stale:
    """A save that started from an old revision: kept beside the line as ``mine``, while ``current`` stays the head."""

    current: StoredRevision
    mine: StoredRevision


class Store:
    """All builds in one SQLite file."""

    def __init__(self, path: Path) -> None:
        self._writer, self._reader = open_engines(path)

    def close(self) -> None:
        """Let go of the file."""
        self._writer.dispose()
        self._reader.dispose()

    def builds(self, *, removed: bool = False) -> list[BuildRow]:
        """Builds on the shelf, or those removed from it; last changed first."""
        with Session(self._reader) as session:
            kept = Build.removed_at.is_not(None) if removed else Build.removed_at.is_(None)
            rows = session.execute(
                select(Build, Revision).join(Revision, Revision.id == Build.head_id).where(kept)
                .order_by(Revision.created_at.desc(), Build.id.desc())
            )  # fmt: skip
            return [BuildRow(id=b.id, head_id=r.id, changed_at=r.created_at, document=r.document) for b, r in rows]

    def create(self, document: dict[str, Any], words: str) -> int:
        """A new build with its first revision; its number."""
        with Session(self._writer) as session, session.begin():
            build = Build(created_at=_now())
            session.add(build)
            session.flush()
            self._advance(session, build, self._add(session, build, None, document, words))
            return build.id

    def head(self, build_id: int) -> StoredRevision:
        """A build as it is now."""
        with Session(self._reader) as session:
            build = _build(session, build_id)
            return self._stored(session, build, build.head_id)

    def revision(self, build_id: int, revision_id: int) -> StoredRevision:
        """A build as it was or would have been."""
        with Session(self._reader) as session:
            return self._stored(session, _build(session, build_id), revision_id)

    def history(self, build_id: int, most: int = 400) -> list[HistoryRow]:
        """The revisions of a build, newest first."""
        with Session(self._reader) as session:
            build = _build(session, build_id)
            columns = Revision.id, Revision.parent_id, Revision.words, Revision.name, Revision.created_at
            found = session.execute(select(*columns).where(Revision.build_id == build.id).order_by(Revision.id.desc())).all()
            parents = {r.id: r.parent_id for r in found}
            line, at = set(), build.tip_id
            while at is not None:
                line.add(at)
                at = parents[at]
            return [
                HistoryRow(id=r.id, parent_id=r.parent_id, words=r.words, name=r.name, created_at=r.created_at,
                           on_line=r.id in line, head=r.id == build.head_id)
                for r in found[:most]
            ]  # fmt: skip

    def name(self, build_id: int, revision_id: int, name: str) -> None:
        """Give a revision a name, or take it away with an empty one."""
        with Session(self._writer) as session, session.begin():
            _revision(session, _build(session, build_id), revision_id).name = name[:120] or None

    def save(self, build_id: int, base_id: int, document: dict[str, Any], words: str) -> StoredRevision | Stale:
        """Save a change that started from ``base_id``. From the head it becomes the head; else it is only kept."""
        with Session(self._writer) as session, session.begin():
            build = _build(session, build_id)
            base = _revision(session, build, base_id)
            fresh = base_id == build.head_id
            new = self._add(session, build, base.id, document, words)
            if fresh:
                self._advance(session, build, new)
                return self._stored(session, build, new.id)
            return Stale(self._stored(session, build, build.head_id), self._stored(session, build, new.id))

    def step(self, build_id: int, base_id: int, *, back: bool) -> StoredRevision:
        """Undo or redo one change; where the page is stale, or there is no such step, nothing moves."""
        with Session(self._writer) as session, session.begin():
            build = _build(session, build_id)
            if base_id == build.head_id:
                here = _revision(session, build, build.head_id)
                target = here.parent_id if back else self._next(session, build)
                if target is not None:
                    build.head_id = target
            return self._stored(session, build, build.head_id)

    def mark(self, build_id: int, revision_id: int | None) -> None:
        """Set the baseline that numbers are compared with, or take it away."""
        with Session(self._writer) as session, session.begin():
            build = _build(session, build_id)
            build.baseline_id = None if revision_id is None else _revision(session, build, revision_id).id

    def shelve(self, build_id: int, *, removed: bool) -> None:
        """Take a build off the shelf, or put it back; nothing is deleted."""
        with Session(self._writer) as session, session.begin():
            _build(session, build_id).removed_at = _now() if removed else None

    @staticmethod
    def _add(session: Session, build: Build, parent: int | None, document: dict[str, Any], words: str) -> Revision:
        new = Revision(build_id=build.id, parent_id=parent, created_at=_now(), words=words[:400], document=document)
        session.add(new)
        session.flush()
        return new

    @staticmethod
    def _advance(session: Session, build: Build, new: Revision) -> None:
        build.head_id = build.tip_id = new.id
        session.flush()

    @staticmethod
    def _next(session: Session, build: Build) -> int | None:
        """The revision after the head on the way to the tip."""
        at = build.tip_id
        while at is not None and at != build.head_id:
            parent = session.get_one(Revision, at).parent_id
            if parent == build.head_id:
                return at
            at = parent
        return None

    def _stored(self, session: Session, build: Build, revision_id: int | None) -> StoredRevision:
        r = _revision(session, build, revision_id)
        after = self._next(session, build) if r.id == build.head_id else None
        count = select(func.count()).where(Revision.build_id == build.id)
        return StoredRevision(
            build_id=build.id,
            id=r.id,
            parent_id=r.parent_id,
            words=r.words,
            document=r.document,
            created_at=r.created_at,
            undoes=r.words if r.parent_id is not None else None,
            redoes=session.get_one(Revision, after).words if after else None,
            changes=session.scalar(count) or 0,
            baseline_id=build.baseline_id,
            name=r.name,
        )


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


def _now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)
