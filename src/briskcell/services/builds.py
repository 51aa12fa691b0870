"""Stored builds: begun, opened, changed, stepped through their history; what was assessed of them is kept at hand."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from threading import Lock
from typing import Any, BinaryIO

from cachetools import LRUCache

from briskcell.core.assess import Assessment
from briskcell.formats.plan_json import document_of, read_plan
from briskcell.model.errors import FigureError, PlanError
from briskcell.model.plan import Plan, plan_of
from briskcell.store import BuildRow, HistoryRow, Stale, Store, StoredRevision, UnreadableError
from briskcell.store.names import Named as Named  # pages name what it names

from .demo import demo_plans, sanderling
from .drafts import DraftRequest, PartsRequest, begun
from .edits.values import Edit, checked
from .judge import assessed, judged, sheltered
from .log.this_console import Console
from .merge import merged, put_over
from .summary import VERSION, summary_of

KEPT = 64
TURNS = 64  # locks for changes of builds, more than are ever changed at once
PAGE = 50  # builds on a page of the shelf
HISTORY_PAGE = 100  # revisions on a page of a history


@dataclass(frozen=True)
class Opened:
    """A build at one revision, assessed, and the assessment it is compared with; ``meanwhile`` is what was merged into it.

    Where it is looked at as one ``console`` was measured, it is assessed as that, and compared with its plan.
    """

    revision: StoredRevision
    assessed: Assessment
    baseline: Assessment | None
    epoch: str
    meanwhile: tuple[Plan, Plan] | None = None
    console: Console | None = None

    def seen_as(self, console: Console | None) -> Opened:
        """The same, as a console was measured."""
        if console is None:
            return self
        return replace(self, assessed=console.assessed, baseline=console.planned, console=console)

    @property
    def planned(self) -> Assessment:
        """As it is planned, whatever it is looked at as."""
        return self.console.planned if self.console else self.assessed

    @property
    def plan(self) -> Plan:
        return self.assessed.plan

    @property
    def base(self) -> str:
        """What a page that shows it says that its changes start from."""
        return f"{self.epoch}-{self.revision.key}"


class OlderShelfError(RuntimeError):
    """A change of a page that was made before another shelf was put in this one's place."""


@dataclass(frozen=True)
class Conflict:
    """Two people changed the same build: what stands now, what was wanted, and what that started from."""

    current: Opened
    mine: Opened
    base: Opened


@dataclass(frozen=True, slots=True)
class ShelfRow:
    """A build on the shelf, and what is known of it; None where it cannot be read or judged."""

    row: BuildRow
    known: dict[str, Any] | None


class Builds:
    """All use cases on stored builds."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._assessed: LRUCache[tuple[str, int, int], Assessment] = LRUCache(KEPT)  # by epoch, build and revision
        self._lock, self._turns = Lock(), [Lock() for _ in range(TURNS)]

    def forget(self) -> None:
        """Keep nothing at hand of a shelf that is gone."""
        with self._lock:
            self._assessed.clear()

    def warm(self) -> None:
        """Bring the compiled loops into memory, so that no page waits for them."""
        assessed(sanderling(), "warming up").work_out()

    def shelf(self, like: str = "", page: int = 0, state: str = "", order: str = "changed") -> tuple[list[ShelfRow], int]:
        """A page of the builds, and how many there are in all. One that cannot be read or judged takes only its own row."""
        rows, count = self._store.builds(like=like, first=page * PAGE, most=PAGE, state=state, order=order)
        return [
            ShelfRow(r, r.summary if r.summary and r.summary.get("version") == VERSION else self._known(r)) for r in rows
        ], count

    def _known(self, row: BuildRow) -> dict[str, Any] | None:
        """What the shelf shows of a revision that an earlier version wrote: worked out once, then kept."""

        def known() -> dict[str, Any]:
            found = self.at(row.id, row.head_id).assessed
            made = summary_of(found)
            sheltered("summary kept", lambda: self._store.summarise(row.head_id, found.plan.name, made), None)
            return made

        return sheltered(f"build {row.id} on the shelf", known, None)

    def open(self, build_id: int) -> Opened:
        """A build as it is now."""
        return self._opened(self._store.head(build_id))

    def at(self, build_id: int, revision_id: int) -> Opened:
        """A build as it was at one revision."""
        return self._opened(self._store.revision(build_id, revision_id))

    def newest(self, build_id: int) -> str:
        """The base of the revision that a build stands at."""
        return f"{self._store.epoch}-{self.key_of('revision', self._store.head_id(build_id) or 0)}"

    def stands_at(self, build_id: int) -> int | None:
        """The number of the revision that a build stands at."""
        return self._store.head_id(build_id)

    def based_on(self, base: str) -> int | None:
        """The number of the revision that a page says its change starts from; None where it says none.

        Raises
        ------
        OlderShelfError
            If the page is older than the shelf that stands here now.
        """
        if not (found := re.fullmatch(r"([0-9a-f]{16})-([0-9a-f]{16})", base)):
            return None
        epoch, key = found.groups()
        if epoch != self._store.epoch:
            raise OlderShelfError("A backup was put in the place of this shelf since this page was made.")
        return self.id_of("revision", key)

    @property
    def epoch(self) -> str:
        """Which shelf stands here: another after each restore."""
        return self._store.epoch

    def id_of(self, table: Named, key: str) -> int | None:
        """The number of the row that has a name."""
        return self._store.names.id_of(table, key)

    def key_of(self, table: Named, row_id: int) -> str | None:
        """The name of a row."""
        return self._store.names.key_of(table, row_id)

    def change(self, build_id: int, base_id: int, edit: Callable[[Assessment], Edit]) -> Opened | Conflict:
        """Apply an edit to the revision it was made on, judge the whole, and save it.

        Where the build has changed since, both changes are put together if they touch different things. Changes of one build come
        one after another, so that what was judged is what is saved.

        Raises
        ------
        FigureError
            If the edit makes no sense, or its plan cannot be judged; nothing is saved then.
        """
        base = self._kept(build_id, base_id) or self.at(build_id, base_id).assessed
        done = edit(base)
        if done.plan == base.plan:
            return self.open(build_id)
        with self._turns[build_id % len(self._turns)]:
            return self._changed(build_id, base_id, base, done)

    def _changed(self, build_id: int, base_id: int, base: Assessment, done: Edit) -> Opened | Conflict:
        head_id = self._store.head_id(build_id)
        both = None if head_id in (None, base_id) else self._together(build_id, head_id or 0, base.plan, done)
        if both is not None:
            plan, theirs, found = both
            saved = self._store.save(build_id, head_id or 0, document_of(plan), done.words, summary_of(found))
            if not isinstance(saved, Stale):  # an undo may have come between
                self._keep(build_id, saved.id, found)
                return self._opened(saved, meanwhile=(base.plan, theirs))
        new = judged(done.plan, f"build {build_id}: {done.words}", base)
        saved = self._store.save(build_id, base_id, document_of(done.plan), done.words, summary_of(new))
        if isinstance(saved, Stale):
            return Conflict(self._opened(saved.current), self._opened(saved.mine), self.at(build_id, base_id))
        self._keep(build_id, saved.id, new)
        return self._opened(saved)

    def _together(self, build_id: int, head_id: int, base: Plan, done: Edit) -> tuple[Plan, Plan, Assessment] | None:
        """What stands with an edit put into it, what stands, and the whole judged; None where they do not go together."""
        theirs = self.at(build_id, head_id).plan
        both = merged(document_of(base), document_of(theirs), document_of(done.plan))
        if both is None:
            return None
        try:
            plan = plan_of(both)
            return None if plan == theirs else (plan, theirs, judged(plan, f"build {build_id}, merged"))
        except (PlanError, FigureError):
            return None

    def adopt(self, build_id: int, base_id: int, revision_id: int) -> Opened | Conflict:
        """Make a kept revision the build's newest state."""
        wanted = plan_of(self._store.revision(build_id, revision_id).document)
        return self.change(build_id, base_id, lambda _: Edit(wanted, "The other change taken in its place"))

    def restore(self, build_id: int, revision_id: int) -> Opened | Conflict:
        """Go back to any point of the history, as a new change on what stands: nothing that came after it is lost."""
        old = self._store.revision(build_id, revision_id)
        words = f"Back to “{old.name or old.words}”"
        head_id = self._store.head_id(build_id)
        assert head_id is not None
        wanted = plan_of(old.document)
        try:
            return self.change(build_id, head_id, lambda _: Edit(wanted, words))
        except UnreadableError:  # what stands cannot be read: it cannot be compared with, but it can be left behind
            found = judged(wanted, f"build {build_id}: {words}")
            self._store.save(build_id, head_id, document_of(wanted), words, summary_of(found))
            return self.open(build_id)

    def variant(self, build_id: int, revision_id: int, name: str) -> int:
        """A new build that starts from any point of another's history."""
        old = self.at(build_id, revision_id)
        words = f"Variant of {old.plan.name}, from “{old.revision.name or old.revision.words}”"
        return self._create(checked(old.plan, {"name": name}), words)

    @staticmethod
    def as_console(edit: Callable[[Assessment], Edit], console: Console) -> Callable[[Assessment], Edit]:
        """An edit that is made on a console as it was measured, for its plan: what it changes there is changed on the plan."""

        def made(planned: Assessment) -> Edit:
            done = edit(console.assessed)
            over = put_over(document_of(planned.plan), document_of(console.assessed.plan), document_of(done.plan))
            return replace(done, plan=plan_of(over))

        return made

    def step(self, build_id: int, base_id: int, *, back: bool) -> Opened:
        """Undo or redo."""
        with self._turns[build_id % len(self._turns)]:
            stepped = self._store.step(build_id, base_id, back=back)
        return self._opened(stepped)

    def mark(self, build_id: int, revision_id: int | None) -> Opened:
        """Mark a revision as the baseline, or take the mark away."""
        self._store.mark(build_id, revision_id)
        return self.open(build_id)

    def toggle_mark(self, build_id: int) -> Opened:
        """Mark the build as it is as the baseline, or take that mark away."""
        revision = self._store.head(build_id)
        return self.mark(build_id, None if revision.baseline_id == revision.id else revision.id)

    def history(self, build_id: int, page: int = 0) -> tuple[list[HistoryRow], int]:
        """A page of the revisions of a build, newest first, and how many there are in all."""
        return self._store.history(build_id, first=page * HISTORY_PAGE, most=HISTORY_PAGE)

    def name_revision(self, build_id: int, revision_id: int, name: str) -> None:
        """Give a revision a name, or take it away with an empty one."""
        self._store.name(build_id, revision_id, name)

    def remove(self, build_id: int) -> None:
        """Take a build off the shelf; nothing is deleted."""
        self._store.shelve(build_id, removed=True)

    def put_back(self, build_id: int) -> None:
        """Put a removed build back."""
        self._store.shelve(build_id, removed=False)

    def begin(self, wanted: DraftRequest | PartsRequest) -> int:
        """A new build from what it must do, or from the parts at hand."""
        return self._create(begun(wanted), "Drafted")

    def import_plan(self, stream: BinaryIO) -> int:
        """A new build from an exported plan."""
        try:
            return self._create(read_plan(stream), "Imported")
        except FigureError as error:
            raise PlanError.single(error.field, "the whole plan", error.message, fix=error.fix) from error

    def _create(self, plan: Plan, words: str) -> int:
        found = judged(plan, words)
        return self._store.create(document_of(plan), words, summary_of(found))

    def load_demo(self) -> int:
        """Add the demo builds, all or none, to a shelf that never had a build; how many were added."""
        if self._store.builds(most=1)[1] or self._store.builds(most=1, removed=True)[1]:
            return 0
        made = [(document_of(p), summary_of(judged(p, p.name))) for p in reversed(demo_plans())]
        return self._store.create_first(made, "Demo build")

    def _opened(self, revision: StoredRevision, meanwhile: tuple[Plan, Plan] | None = None) -> Opened:
        baseline = None
        if revision.baseline_id is not None:
            baseline = sheltered("baseline", lambda: self._baseline(revision.build_id, revision.baseline_id or 0), None)
        found = self._assess(revision.build_id, revision.id, revision.document)
        return Opened(revision, found, baseline, self._store.epoch, meanwhile)

    def _baseline(self, build_id: int, revision_id: int) -> Assessment:
        marked = self._store.revision(build_id, revision_id)
        return self._assess(build_id, marked.id, marked.document)

    def _assess(self, build_id: int, revision_id: int, document: dict[str, object]) -> Assessment:
        """A revision never changes, so its assessment is kept."""
        if (found := self._kept(build_id, revision_id)) is not None:
            return found
        try:
            made = assessed(plan_of(document), f"build {build_id}, revision {revision_id}")
        except PlanError as error:
            raise UnreadableError(f"Revision {revision_id} of build {build_id} is no plan: {error}") from error
        self._keep(build_id, revision_id, made)
        return made

    def _kept(self, build_id: int, revision_id: int) -> Assessment | None:
        with self._lock:
            return self._assessed.get((self._store.epoch, build_id, revision_id))

    def _keep(self, build_id: int, revision_id: int, found: Assessment) -> None:
        with self._lock:
            self._assessed[self._store.epoch, build_id, revision_id] = found
