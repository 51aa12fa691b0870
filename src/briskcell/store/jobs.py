"""Long work that is queued, under way or done, as rows: it outlives the program that did it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from .builds import Store
from .moment import now
from .tables import Job

OPEN = ("queued", "running")
INTERRUPTED = "The program ended while this was under way. Start it again."


@dataclass(frozen=True, slots=True, kw_only=True)
class JobRow:
    """One piece of long work: ``state`` is queued, running, done, stopped, failed or interrupted; ``ahead`` how many come first."""

    id: int
    build_id: int
    kind: str
    state: str
    share: float
    result: dict[str, Any] | None
    words: str
    ahead: int


class Jobs:
    """The jobs in a store's file; one of each kind is kept for a build."""

    def __init__(self, store: Store) -> None:
        self._writer, self._reader = store.writer, store.reader

    def add(self, build_id: int, kind: str) -> int:
        """A new job in the place of the build's last of that kind; its number."""
        with Session(self._writer) as session, session.begin():
            session.execute(delete(Job).where(Job.build_id == build_id, Job.kind == kind))
            job = Job(build_id=build_id, kind=kind, state="queued", created_at=now())
            session.add(job)
            session.flush()
            return job.id

    def of(self, build_id: int, kind: str) -> JobRow | None:
        """The build's job of that kind."""
        with Session(self._reader) as session:
            job = session.scalar(select(Job).where(Job.build_id == build_id, Job.kind == kind))
            if job is None:
                return None
            ahead = session.scalar(select(func.count()).where(Job.state == "queued", Job.id < job.id)) or 0
            return JobRow(
                id=job.id,
                build_id=build_id,
                kind=kind,
                state=job.state,
                share=job.share,
                result=job.result,
                words=job.words,
                ahead=ahead if job.state == "queued" else 0,
            )

    def set(self, job_id: int, *, only_from: tuple[str, ...] = OPEN, **values: Any) -> bool:
        """Change a job that is still open; whether it was."""
        with Session(self._writer) as session, session.begin():
            done = session.execute(update(Job).where(Job.id == job_id, Job.state.in_(only_from)).values(**values))
            return bool(done.rowcount)  # type: ignore[attr-defined]

    def interrupted(self, kind: str) -> list[int]:
        """The builds whose job of that kind was interrupted, the first begun first."""
        with Session(self._reader) as session:
            asked = select(Job.build_id).where(Job.kind == kind, Job.state == "interrupted").order_by(Job.id)
            return list(session.scalars(asked))

    def interrupt_all(self) -> None:
        """Say of what an earlier program left open that it was interrupted."""
        with Session(self._writer) as session, session.begin():
            session.execute(update(Job).where(Job.state.in_(OPEN)).values(state="interrupted", words=INTERRUPTED))
