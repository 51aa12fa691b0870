"""Long work beside the pages: at most two pieces at a time, the rest queued; shown, stopped at once, and remembered."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from threading import Event, Lock
from typing import Any

import structlog

from briskcell.store import JobRow, Jobs, Store

AT_ONCE = 2
EVERY_S = 0.5  # between two notes of how far it is, in the file


class Progress:
    """Handed to the work: it says how far it is, and asks whether it should end."""

    def __init__(self, note: Callable[[float], None]) -> None:
        self.share = 0.0
        self.stop = Event()
        self._note, self._noted = note, time.monotonic()

    def at(self, share: float) -> None:
        """Say how much of it is done."""
        self.share = min(max(share, 0.0), 1.0)
        if time.monotonic() - self._noted > EVERY_S:
            self._noted = time.monotonic()
            self._note(self.share)

    def stopped(self) -> bool:
        """Whether it should end with what it has."""
        return self.stop.is_set()


Work = Callable[[Progress], dict[str, Any]]


class Runner:
    """Runs the jobs of one store. What an earlier program left open is said to be interrupted."""

    def __init__(self, store: Store) -> None:
        self._rows = Jobs(store)
        self._rows.interrupt_all()
        self._pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="job")
        self._live: dict[int, Progress] = {}
        self._lock = Lock()

    def begin(self, build_id: int, kind: str, work: Work) -> None:
        """Queue a job; the build's last of that kind is stopped and forgotten."""
        self.stop(build_id, kind)
        job_id = self._rows.add(build_id, kind)
        progress = Progress(lambda share: self._note(job_id, share))
        with self._lock:
            self._live[job_id] = progress
        self._pool.submit(self._run, job_id, work, progress)

    def of(self, build_id: int, kind: str) -> JobRow | None:
        """The build's job of that kind, as far as it is."""
        row = self._rows.of(build_id, kind)
        live = self._live.get(row.id) if row else None
        return replace(row, share=live.share) if row and live else row

    def stop(self, build_id: int, kind: str) -> None:
        """Stop the build's job at once; what it has found comes as soon as it looks up."""
        if (row := self._rows.of(build_id, kind)) is not None:
            self._rows.set(row.id, state="stopped")
            if live := self._live.get(row.id):
                live.stop.set()

    def interrupted(self, kind: str) -> list[int]:
        """The builds whose job of that kind the end of a program interrupted."""
        return self._rows.interrupted(kind)

    def close(self) -> None:
        """End all work and the threads that did it; what is open counts as interrupted, not as done."""
        self._rows.interrupt_all()
        with self._lock:
            for progress in self._live.values():
                progress.stop.set()
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _note(self, job_id: int, share: float) -> None:
        self._rows.set(job_id, share=share)

    def _run(self, job_id: int, work: Work, progress: Progress) -> None:
        try:
            if not progress.stopped() and self._rows.set(job_id, state="running"):
                result = work(progress)
                if not self._rows.set(job_id, state="done", share=1.0, result=result):
                    self._rows.set(job_id, only_from=("stopped",), result=result)
        except Exception as error:  # whatever it is, the page is told, the log has it whole, and the thread goes on
            structlog.get_logger("brisk-cell").error("job failed", job=job_id, exc_info=error)
            self._fail(job_id, str(error) or type(error).__name__)
        finally:
            with self._lock:
                self._live.pop(job_id, None)

    def _fail(self, job_id: int, words: str) -> None:
        try:
            self._rows.set(job_id, state="failed", words=words[:400])
        except Exception as error:
            structlog.get_logger("brisk-cell").error("job could not be noted", job=job_id, exc_info=error)
