"""What happened to consoles: lines of their logs, photographs, meter logs taken in, and what all that teaches."""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path

from briskcell.core.assess import Assessment
from briskcell.formats.meter_csv import Layout
from briskcell.model.plan import Plan
from briskcell.services.bench import pins
from briskcell.services.bench.benches import Benches
from briskcell.services.jobs import Runner
from briskcell.services.uploads import Uploads
from briskcell.store.jobs import JobRow
from briskcell.store.log import EntryRow, LogStore
from briskcell.store.runs import RunRow, RunStore
from briskcell.store.units import UnitRow

from . import entries, imports
from .ageing import Ageing, ageing
from .compared import Compared, compared
from .complaints import MOST_COMPLAINTS, Complaint, suspected
from .learned import pack_written
from .typed import add_typed


class Logs:
    """The logs of one shelf's consoles."""

    def __init__(self, log: LogStore, runs: RunStore, benches: Benches, uploads: Uploads, jobs: Runner) -> None:
        self._log, self._runs, self._benches, self._uploads, self._jobs = log, runs, benches, uploads, jobs

    def entries(self, unit_id: int) -> tuple[EntryRow, ...]:
        """The lines of a unit's log."""
        return self._log.of_unit(unit_id)

    def entry(self, unit_id: int, entry_id: int) -> EntryRow | None:
        """A line of a unit's log; None where it has none of that number."""
        found = self._log.get(entry_id)
        return found if found is not None and found.unit_id == unit_id else None

    def add_run(self, assessed: Assessment, unit_id: int, hours: str, end: str, words: str, at: str) -> None:
        """A timed run from a full pack."""
        planned_h = assessed.runtime.hours if assessed.runtime else None
        entries.add_run(self._log, unit_id, hours, end, words, at, planned_h, pack_written(assessed.plan))

    def add_whole(self, plan: Plan, unit_id: int, text: str, volts: str, state: str, at: str) -> None:
        """A reading of the whole console at its pack."""
        entries.add_whole(self._log, unit_id, text, volts, state, at, pack_written(plan))

    def add_tested(self, plan: Plan, unit_id: int, text: str, of: str, at: str) -> None:
        """What a tester showed of the cells."""
        entries.add_tested(self._log, unit_id, text, of, at, pack_written(plan))

    def add_typed(self, plan: Plan, unit_id: int, text: str, title: str, *, full: bool) -> None:
        """A run of typed rows."""
        add_typed(self._runs, unit_id, text, title, pack_written(plan), full=full)

    def leave_out(self, unit_id: int, entry: EntryRow | None, run_id: int | None, why: str) -> None:
        """Say why a line or a run cannot be believed, or with nothing said that it counts again."""
        if entry is not None:
            self._log.note(entry.id, entries.left_out(entry.about, why))
        elif run_id is not None and (run := self._runs.get(run_id)) is not None and run.unit_id == unit_id:
            self._runs.set(run_id, about=entries.left_out(run.about, why))

    def boards(self, unit_id: int) -> tuple[pins.Unknown, ...]:
        """Boards of a unit that nobody knows, with what their pads may be."""
        return pins.boards(self._log, unit_id)

    def begin_board(self, unit_id: int, name: str, pads: str) -> None:
        """One more, by its pads."""
        pins.begin(self._log, unit_id, name, pads)

    def change_board(self, entry: EntryRow, form: Callable[[str], str]) -> None:
        """One more thing that is known of its pads."""
        pins.change(self._log, entry, form)

    def add_complaint(self, plan: Plan, unit_id: int, when: str, what: str, words: str, also: Collection[str] = ()) -> None:
        """A complaint: when it fails, what, and what goes with it."""
        entries.add_complaint(self._log, plan, unit_id, when, what, words, also)

    def add_note(self, unit_id: int, words: str, at: str) -> None:
        """A change that was made, or anything else to remember."""
        entries.add_note(self._log, unit_id, words, at)

    def complaints(self, assessed: Assessment, unit: UnitRow) -> list[Complaint]:
        """The newest open complaints of a unit, each with its suspects."""
        still = [e for e in self.entries(unit.id) if e.kind == "complaint" and e.about.get("open", True)]
        found = self._benches.proof(unit, assessed, standing=True) if still else None
        return [suspected(assessed, e, found) for e in still[:MOST_COMPLAINTS]] if found else []

    def repeats(self, entry: EntryRow, step: str) -> None:
        """Say which step of the ladder tells a complaint's suspects apart."""
        self._log.note(entry.id, entry.about | {"repeat": step})

    def is_found(self, entry: EntryRow) -> None:
        """Say that a complaint's cause was found."""
        self._log.note(entry.id, entry.about | {"open": False})

    def remove(self, entry: EntryRow) -> None:
        """Take a line out of the log."""
        self._log.remove(entry.id)

    def add_photo(self, unit_id: int, upload: str, words: str) -> None:
        """A photograph that came in pieces."""
        try:
            entries.add_photo(self._log, unit_id, self._uploads.path(upload), words)
        finally:
            self._uploads.done(upload)

    def photo(self, build_id: int, entry_id: int) -> tuple[Path, str] | None:
        """Where a photograph of one of a build's units lies, and the type that it was found to be; None where there is none."""
        found = self._log.get(entry_id)
        if found is None or not found.file or not self._benches.owns(build_id, found.unit_id):
            return None
        return self._log.photo(found.file), str(found.about.get("type", ""))

    def laid_out(self, upload: str) -> tuple[Layout, list[list[str]]]:
        """How a meter's log that came in pieces is laid out, and its first rows; what is none is let go."""
        try:
            return imports.laid_out(self._uploads, self._log, upload)
        except Exception:
            self._uploads.done(upload)
            raise

    def bring_in(
        self, build_id: int, plan: Plan, unit_id: int, upload: str, form: Callable[[str], str], title: str, kind: str
    ) -> None:
        """Begin to read a meter's log into a run, laid out as the page says."""
        layout = imports.corrected(self.laid_out(upload)[0], form)
        work = imports.bring_in(self._uploads, self._log, self._runs, unit_id, upload, layout, title, kind, pack_written(plan))
        self._jobs.begin(build_id, imports.KIND, work)

    def import_of(self, build_id: int) -> JobRow | None:
        """How far the build's newest meter log is taken in."""
        return self._jobs.of(build_id, imports.KIND)

    def stop_import(self, build_id: int) -> None:
        """Stop it; it leaves nothing behind."""
        self._jobs.stop(build_id, imports.KIND)

    def aged(self, assessed: Assessment, unit: UnitRow) -> Ageing | None:
        """How a unit's cells age; None without a test."""
        return ageing(assessed, self._runs.of_unit(unit.id), self._runs)

    def compared(self, assessed: Assessment, run: RunRow) -> Compared | None:
        """A run against the plan."""
        return compared(assessed, run, self._runs)
