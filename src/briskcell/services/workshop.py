"""The workshop: opens stored builds, changes them, and keeps what was assessed at hand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import BinaryIO

from cachetools import LRUCache

from briskcell.core.assess import Assessment, assess
from briskcell.formats.plan_json import document_of, read_plan
from briskcell.library import catalogue
from briskcell.model.plan import Plan, plan_of
from briskcell.store import BuildRow, HistoryRow, Stale, Store, StoredRevision, UnknownBuildError

from .demo import demo_plans, sanderling
from .drafts import DraftRequest, draft
from .edits.values import Edit, checked
from .search import Searches

__all__ = ["Conflict", "Opened", "UnknownBuildError", "Workshop"]

KEPT = 64


@dataclass(frozen=True)
class Opened:
    """A build at one revision, assessed, and the assessment it is compared with."""

    revision: StoredRevision
    assessed: Assessment
    baseline: Assessment | None

    @property
    def plan(self) -> Plan:
        return self.assessed.plan


@dataclass(frozen=True)
class Conflict:
    """Two people changed the same build: what stands now, what was wanted, and what that started from."""

    current: Opened
    mine: Opened
    base: Opened


class Workshop:
    """All use cases on stored builds."""

    def __init__(self, path: Path) -> None:
        self.store = Store(path)
        self._assessed: LRUCache[tuple[int, int], Assessment] = LRUCache(KEPT)  # by build and revision
        self._lock = Lock()
        self.searches = Searches()

    def warm(self) -> None:
        """Bring the compiled loops into memory, so that no page waits for them."""
        _ = assess(sanderling()).findings

    def shelf(self) -> list[tuple[BuildRow, Assessment]]:
        """Every build with its assessment."""
        return [(row, self._assess(row.id, row.head_id, row.document)) for row in self.store.builds()]

    def open(self, build_id: int) -> Opened:
        """A build as it is now."""
        return self._opened(self.store.head(build_id))

    def at(self, build_id: int, revision_id: int) -> Opened:
        """A build as it was at one revision."""
        return self._opened(self.store.revision(build_id, revision_id))

    def change(self, build_id: int, base_id: int, edit: Callable[[Assessment], Edit]) -> Opened | Conflict:
        """Apply an edit to the revision it was made on, and save it.

        Raises
        ------
        FigureError
            If the edit makes no sense; nothing is saved then.
        """
        base = self._kept(build_id, base_id) or self.at(build_id, base_id).assessed
        done = edit(base)
        if done.plan == base.plan:
            return self.open(build_id)
        saved = self.store.save(build_id, base_id, document_of(done.plan), done.words)
        if isinstance(saved, Stale):
            return Conflict(self._opened(saved.current), self._opened(saved.mine), self.at(build_id, base_id))
        self._keep(build_id, saved.id, assess(done.plan, catalogue().stock()))
        return self._opened(saved)

    def adopt(self, build_id: int, base_id: int, revision_id: int) -> Opened | Conflict:
        """Make a kept revision the build's newest state."""
        wanted = plan_of(self.store.revision(build_id, revision_id).document)
        return self.change(build_id, base_id, lambda _: Edit(wanted, "The other change taken in its place"))

    def restore(self, build_id: int, revision_id: int) -> Opened | Conflict:
        """Go back to any point of the history, as a new change on what stands: nothing that came after it is lost."""
        old = self.store.revision(build_id, revision_id)
        words = f"Back to “{old.name or old.words}”"
        return self.change(build_id, self.store.head(build_id).id, lambda _: Edit(plan_of(old.document), words))

    def variant(self, build_id: int, revision_id: int, name: str) -> int:
        """A new build that starts from a point of this one's history."""
        old = self.at(build_id, revision_id)
        words = f"Variant of {old.plan.name}, from “{old.revision.name or old.revision.words}”"
        return self.store.create(document_of(checked(old.plan, {"name": name})), words)

    def step(self, build_id: int, base_id: int, *, back: bool) -> Opened:
        """Undo or redo."""
        return self._opened(self.store.step(build_id, base_id, back=back))

    def mark(self, build_id: int, revision_id: int | None) -> Opened:
        """Mark a revision as the baseline, or take the mark away."""
        self.store.mark(build_id, revision_id)
        return self.open(build_id)

    def toggle_mark(self, build_id: int) -> Opened:
        """Mark the build as it is as the baseline, or take that mark away."""
        revision = self.store.head(build_id)
        return self.mark(build_id, None if revision.baseline_id == revision.id else revision.id)

    def history(self, build_id: int) -> list[HistoryRow]:
        """The revisions of a build, newest first."""
        return self.store.history(build_id)

    def name_revision(self, build_id: int, revision_id: int, name: str) -> None:
        """Give a revision a name, or take it away with an empty one."""
        self.store.name(build_id, revision_id, name)

    def remove(self, build_id: int) -> None:
        """Take a build off the shelf; nothing is deleted."""
        self.store.shelve(build_id, removed=True)

    def put_back(self, build_id: int) -> None:
        """Put a removed build back."""
        self.store.shelve(build_id, removed=False)

    def begin(self, wanted: DraftRequest) -> int:
        """A new build from four answers."""
        return self.store.create(document_of(draft(wanted)), "Drafted")

    def import_plan(self, stream: BinaryIO) -> int:
        """A new build from an exported plan."""
        return self.store.create(document_of(read_plan(stream)), "Imported")

    def load_demo(self) -> int:
        """Add the demo builds to an empty shelf; how many were added."""
        if self.store.builds() or self.store.builds(removed=True):
            return 0
        plans = demo_plans()
        for plan in reversed(plans):
            self.store.create(document_of(plan), "Demo build")
        return len(plans)

    def _opened(self, revision: StoredRevision) -> Opened:
        baseline = None
        if revision.baseline_id is not None:
            marked = self.store.revision(revision.build_id, revision.baseline_id)
            baseline = self._assess(marked.build_id, marked.id, marked.document)
        return Opened(revision, self._assess(revision.build_id, revision.id, revision.document), baseline)

    def _assess(self, build_id: int, revision_id: int, document: dict[str, object]) -> Assessment:
        """A revision never changes, so its assessment is kept."""
        if (found := self._kept(build_id, revision_id)) is not None:
            return found
        assessed = assess(plan_of(document), catalogue().stock())
        self._keep(build_id, revision_id, assessed)
        return assessed

    def _kept(self, build_id: int, revision_id: int) -> Assessment | None:
        with self._lock:
            return self._assessed.get((build_id, revision_id))

    def _keep(self, build_id: int, revision_id: int, assessed: Assessment) -> None:
        with self._lock:
            self._assessed[build_id, revision_id] = assessed
