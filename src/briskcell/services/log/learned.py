"""What a build's units have measured, and what that says: hours with their range, before and after, for it and for other packs."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.log.learning import Learned, Measured, draw_that_explains, learn, shared, transferred
from briskcell.services.bench.measured import capacity_of
from briskcell.store.log import EntryRow, LogStore
from briskcell.store.runs import RunStore
from briskcell.store.units import UnitRow

MOST_RUNS = 40  # the newest


@dataclass(frozen=True, slots=True)
class Told:
    """A measurement with where it comes from: a unit, a line of its log or a run."""

    measured: Measured
    unit: UnitRow
    words: str


@dataclass(frozen=True, slots=True)
class Lesson:
    """What was learned for one unit: what it rests on, the spread before and after, and the factor its draws must have had."""

    learned: Learned
    told: tuple[Told, ...]
    factor: float | None

    @property
    def own(self) -> int:
        return sum(not t.measured.sibling for t in self.told)

    @property
    def siblings(self) -> int:
        return sum(t.measured.sibling for t in self.told)


def measurements(a: Assessment, unit: UnitRow, units: tuple[UnitRow, ...], log: LogStore, runs: RunStore) -> tuple[Told, ...]:
    """Hours that a build's units measured, and of each the newest capacity; what another unit measured counts less."""
    out = []
    for each in units:
        sibling = each.id != unit.id
        for entry in log.of_unit(each.id):
            if entry.kind == "run":
                out.append(Told(_of_entry(entry, sibling), each, entry.words))
        held = ((run, capacity_of(a, run, runs)) for run in runs.of_unit(each.id))
        if (newest := next(((run, ah) for run, ah in held if ah is not None), None)) is not None:  # cells age: older ones held more
            out.append(Told(Measured("capacity", newest[1], sibling=sibling), each, f"{newest[0].title}: {newest[1]:.3g} Ah"))
    return tuple(out[:MOST_RUNS])


def _of_entry(entry: EntryRow, sibling: bool) -> Measured:
    return Measured("hours", float(entry.about["hours"]), ended=bool(entry.about["ended"]), sibling=sibling)


def lesson(a: Assessment, told: tuple[Told, ...]) -> Lesson | None:
    """What measurements teach; None where there are none, or nothing plays."""
    prior = a.spread if told else None
    if prior is None:
        return None
    held = a.op.curves[0].capacity_ah
    own = [t.measured.value for t in told if t.measured.what == "hours" and t.measured.ended and not t.measured.sibling]
    factor = draw_that_explains(a, own[0]) if own else None
    return Lesson(learn(prior, [t.measured for t in told], held), told, factor)


@dataclass(frozen=True, slots=True)
class Forecast:
    """Hours of another pack or build: as the plan has it, and as was learned; how many doubts both share."""

    name: str
    before: tuple[float, float, float]
    after: tuple[float, float, float]
    shared: int


def forecast(found: Lesson, other: Assessment, name: str) -> Forecast | None:
    """What was learned, for another build; None where it shares nothing, or does not play."""
    if (fresh := other.spread) is None:
        return None
    moved = transferred(found.learned, fresh)
    both = len(shared(moved.of, found.learned.before.of))
    return Forecast(name, fresh.range_h, moved.range_h, both) if both else None
