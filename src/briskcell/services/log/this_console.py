"""One console as it was measured: the plan with its readings, its tests and its runs in the place of what was assumed."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from threading import Lock

from cachetools import LRUCache

from briskcell.core.assess import Assessment
from briskcell.core.log.learning import Learned
from briskcell.model.changes import remade
from briskcell.model.errors import FigureError
from briskcell.services.bench.measured import capacity_of, capacity_on_plan, simulated, usable
from briskcell.services.bench.proof import TRUSTED, Proof, proof
from briskcell.services.bench.taken import Taken, taken
from briskcell.services.edits.values import Edit
from briskcell.services.judge import Watch
from briskcell.store.log import LogStore
from briskcell.store.runs import RunStore
from briskcell.store.units import UnitRow, UnitStore

from .learned import Told, lesson, measurements

KEPT, LOCKS, MOST_NAME = 32, 16, 30
ALL = "all"  # what stands for all readings of a ladder that are proven
RUNS = "runs"  # what stands for a console's runs among the readings that are taken in
MOST_ASKED = 3  # consoles of a build, of which the one is sought that was measured last


@dataclass(frozen=True, slots=True)
class Console:
    """A unit as it was measured, beside the plan it was made from.

    ``taken`` are the readings of its ladder, ``told`` its runs; ``learned`` is None where there are none. ``proof`` is how far
    it is proven.
    """

    unit: UnitRow
    planned: Assessment
    assessed: Assessment
    taken: tuple[Taken, ...]
    told: tuple[Told, ...]
    learned: Learned | None
    proof: Proof

    @property
    def measured(self) -> int:
        """How many of its figures were measured."""
        return sum(t.trusted and not t.why_not for t in self.taken) + sum(not t.left_out for t in self.told)

    @property
    def simulated(self) -> bool:
        """Whether some of it comes from the simulated bench."""
        return any(t.simulated and t.trusted for t in self.taken)


def named(build: str, unit: str) -> str:
    """What a console goes by where it is shown in the place of its plan, on pages, sheets and files alike."""
    short = unit if len(unit) <= MOST_NAME else f"{unit[: MOST_NAME - 1].rstrip()}…"
    return f"{build[:70]}, {short} as measured"


class Consoles:
    """Every console of a shelf, each worked out once for what was measured of it."""

    def __init__(self, units: UnitStore, log: LogStore, runs: RunStore) -> None:
        self._units, self._log, self._runs = units, log, runs
        self._kept: LRUCache[tuple[object, ...], Console] = LRUCache(KEPT)
        self._lock, self._turns = Lock(), [Lock() for _ in range(LOCKS)]

    def of(self, planned: Assessment, unit: UnitRow, units: tuple[UnitRow, ...]) -> Console:
        """A unit as it was measured. It is worked out anew when the plan or anything that was measured changes."""
        key = (id(planned), unit.id, *(self._state(u.id) for u in units))
        with self._turns[unit.id % LOCKS]:  # whoever asks for the same one meanwhile waits, and gets it
            with self._lock:
                if (found := self._kept.get(key)) is not None and found.planned is planned:
                    return found
            made = self._made(planned, unit, units)
            with self._lock:
                self._kept[key] = made
            return made

    def taken_in(self, planned: Assessment, unit: UnitRow, units: tuple[UnitRow, ...], keys: frozenset[str], *, sure: bool) -> Edit:
        """What was measured of a console as an edit of its plan: the readings of those steps, and with ``runs`` what its runs say.

        Raises
        ------
        FigureError
            If nothing is chosen, or a simulated figure is and that was not said once more.
        """
        found = proof(planned, unit, self._units.readings(unit.id), standing=True)
        steps = keys - {RUNS, ALL}
        if ALL in keys:
            steps |= {r.step.key for r in found.rungs if usable(r) and r.state in TRUSTED}
        if any(simulated(r) for r in found.rungs if r.step.key in steps) and not sure:
            raise FigureError(
                "take-in",
                "Some of that was read on a simulated bench: no meter has seen this console.",
                fix="Tick that simulated figures shall stand on the plan as well.",
            )
        plan, told = taken(planned, found, steps)
        count = sum(t.key in steps and not t.why_not for t in told)
        if RUNS in keys:
            read = self._tested(planned.of(plan, Watch(f"unit {unit.name}")), unit)
            learned = lesson(read, measurements(read, unit, units, self._log, self._runs))
            plan = learned.plan if learned else read.plan
        if plan == planned.plan:
            raise FigureError("take-in", "Nothing is ticked that the plan has not got yet.", fix="Tick what shall be taken.")
        parts = [f"{count} reading{'s' if count != 1 else ''}"] if count else []
        parts += ["what its runs say"] if RUNS in keys else []
        return Edit(plan, f"Taken into the plan from {unit.name}: {' and '.join(parts)}")

    def state(self, build_id: int) -> str:
        """What was measured of all of a build's consoles so far, in a word: another as soon as anything changes."""
        states = [self._state(u.id) for u in self._units.units(build_id)]
        return hashlib.sha256(repr(states).encode()).hexdigest()[:12] if states else ""

    def newest(self, planned: Assessment, units: tuple[UnitRow, ...]) -> Console | None:
        """The console of a build that was measured last, else its newest; None where none was made."""
        made = [self.of(planned, u, units) for u in units[-MOST_ASKED:]]
        return max(made, key=lambda c: (c.measured > 0, c.unit.id), default=None)

    def _state(self, unit_id: int) -> tuple[object, ...]:
        """What was measured of a unit so far, in a word: another as soon as anything changes."""
        entries = tuple((e.id, str(e.about.get("left_out", ""))) for e in self._log.of_unit(unit_id))
        runs = tuple((r.id, r.state, str(r.about.get("left_out", ""))) for r in self._runs.of_unit(unit_id))
        return len(self._units.readings(unit_id)), entries, runs

    def _made(self, planned: Assessment, unit: UnitRow, units: tuple[UnitRow, ...]) -> Console:
        found = proof(planned, unit, self._units.readings(unit.id), standing=True)
        plan, told = taken(planned, found)
        read = planned if plan == planned.plan else planned.of(plan, Watch(f"unit {unit.name}"))
        read = self._tested(read, unit)
        runs = measurements(read, unit, units, self._log, self._runs)
        learned = lesson(read, runs)
        plan = remade(learned.plan if learned else read.plan, {"name": named(planned.plan.name, unit.name)})
        assessed = planned.of(plan, Watch(f"unit {unit.name}"))
        return Console(unit, planned, assessed, told, runs, learned, proof(planned, unit, self._units.readings(unit.id)))

    def _tested(self, a: Assessment, unit: UnitRow) -> Assessment:
        """With what the newest test says that its cells hold: cells age, and older ones held more."""
        for run in self._runs.of_unit(unit.id):
            if run.about.get("left_out") or capacity_of(a, run, self._runs) is None:
                continue
            try:
                edit = capacity_on_plan(a, run, self._runs, unit.name, sure=False)
            except FigureError:
                continue
            return a.of(edit.plan, Watch(f"unit {unit.name}"))
        return a
