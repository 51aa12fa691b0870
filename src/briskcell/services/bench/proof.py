"""How far a unit is proven: each step of the ladder with its last reading, judged by the plan as it is now."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

from briskcell.core.assess import Assessment
from briskcell.core.bench.before_cuts import Cut, cuts
from briskcell.core.bench.causes import Cause, causes
from briskcell.core.bench.gate import impossible
from briskcell.core.bench.step import Step
from briskcell.model.errors import FigureError
from briskcell.model.plan import Plan
from briskcell.model.stores import Pack
from briskcell.model.units import read
from briskcell.store.units import ReadingRow, UnitRow, UnitStore

from .instruments import OPEN_OHM

State = Literal["proven", "off", "passed", "again", "due", "held"]
Unit = UnitRow  # what pages show of one
TRUSTED = ("proven", "passed")  # states of a step on which others may rest
MOST_UNITS = 50
SEEN = 1.0  # the value of what is looked at and not measured


@dataclass(frozen=True, slots=True)
class Rung:
    """A step with its state: proven, off, passed in spite of it for a reason, to be done again on another class, due, or held."""

    step: Step
    state: State
    reading: ReadingRow | None
    holds_it: str


@dataclass(frozen=True, slots=True)
class Proof:
    """A unit's ladder: its rungs, how many are done, and the next one."""

    unit: UnitRow
    rungs: tuple[Rung, ...]

    @property
    def done(self) -> int:
        return sum(r.state in TRUSTED for r in self.rungs)

    @property
    def due(self) -> Rung | None:
        """What to do next: what is off first, then the first that is due."""
        order = ("off", "again", "due")
        return min((r for r in self.rungs if r.state in order), key=lambda r: order.index(r.state), default=None)


def class_of(plan: Plan, step: Step) -> str:
    """The class that a step proves: where another takes its place, it has to be proven again."""
    part = plan.by_id[step.element]
    return part.cell.part_class if isinstance(part, Pack) else part.part_class


def proof(assessed: Assessment, unit: UnitRow, readings: Sequence[ReadingRow], *, standing: bool = False) -> Proof:
    """A unit's ladder as it stands.

    Parameters
    ----------
    assessed : Assessment
        The build as it is planned now: the ladder follows it.
    unit : UnitRow
        One of its units.
    readings : sequence of ReadingRow
        All of the unit; the last of each step holds.
    standing : bool
        Of a console that stands and is read at one place alone: nothing waits for what is below it.

    Returns
    -------
    Proof
        A step is held while one that it depends on is not proven, and proven work below a step that is off is asked again.
    """
    last = {r.step: r for r in readings}
    states: dict[str, State] = {}
    rungs = []
    for step in assessed.ladder:
        waits = "" if standing else next((k for k in step.after if k in states and states[k] not in TRUSTED), "")
        found = last.get(step.key)
        state: State
        if waits:
            state = "held"
        elif found is None or found.value is None:
            state = "due"
        elif found.part_class != class_of(assessed.plan, step):
            state = "again"
        elif not step.unit or step.holds(found.value):
            state = "proven"
        else:
            state = "passed" if found.reason else "off"
        states[step.key] = state
        rungs.append(Rung(step, state, found, waits))
    return Proof(unit, tuple(rungs))


def add_unit(store: UnitStore, build_id: int, name: str) -> int:
    """One more unit; it starts unproven."""
    known = store.units(build_id)
    if len(known) >= MOST_UNITS:
        raise FigureError("unit", f"A build has up to {MOST_UNITS} units.", fix="Make a variant of it.")
    return store.add(build_id, name.strip()[:120] or f"Unit {len(known) + 1}")


def take(
    assessed: Assessment,
    store: UnitStore,
    found: Proof,
    key: str,
    text: str,
    *,
    reason: str = "",
    back: bool = False,
    note: dict[str, str] | None = None,
    read_by: Callable[[Step], float] | None = None,
) -> None:
    """Take a reading on a unit, pass it in spite of its window for a reason, or take it back.

    ``read_by`` reads the step with an instrument, in place of what was typed; ``note`` is kept with the reading.

    Raises
    ------
    FigureError
        If there is no such step, it is held, or the reading makes no sense.
    """
    rung = next((r for r in found.rungs if r.step.key == key), None)
    slot = f"read-{key}"
    if rung is None:
        raise FigureError(slot, "The ladder has no such step any more.", fix="Reload the page.")
    step = rung.step
    if back:
        store.take(found.unit.id, key, None)
        return
    if rung.state == "held":
        raise FigureError(slot, "Something below it is not proven yet.", fix="Do that first.")
    if reason:
        if rung.state != "off" or rung.reading is None:
            raise FigureError(slot, "Only a reading that is off can be passed.", fix="Read it first.")
        store.take(found.unit.id, key, rung.reading.value, reason.strip()[:400], class_of(assessed.plan, step), rung.reading.note)
        return
    if not step.unit:
        if missing := _words_missing(step, note or {}):
            raise FigureError(slot, f"Not said yet: {missing}.", fix="Write it down; that is what proves it later.")
        value = SEEN
    else:
        value = read_by(step) if read_by else _value(text, step.unit, slot)
        if not read_by and (why := impossible(value, step.unit, step.likely)):
            raise FigureError(slot, why, fix="Type it with its unit.")
    if key.startswith("joint:") and (leads := _leads(found)):
        value, note = max(value - leads, 0.0), (note or {}) | {"leads": f"{leads:.3g}"}
    store.take(found.unit.id, key, value, "", class_of(assessed.plan, step), note)


def _leads(found: Proof) -> float:
    """What the meter's own leads were read to have; 0 where nobody read them. [Ω]"""
    rung = next((r for r in found.rungs if r.step.key.startswith("leads:")), None)
    read = rung is not None and rung.state == "proven" and rung.reading is not None
    return float(rung.reading.value or 0.0) if read and rung is not None and rung.reading is not None else 0.0


def _words_missing(step: Step, note: dict[str, str]) -> str:
    """What a step that is looked at still has to be told; empty where nothing."""
    if not step.key.startswith("pads:"):
        return ""
    wanted = {"side": "on which side plus lies", "by": "who measured it"}
    return next((words for name, words in wanted.items() if not note.get(name, "").strip()), "")


def _value(text: str, unit: str, slot: str) -> float:
    """A reading as it is typed: a sign before it is kept, and OL stands for what is open."""
    if unit == "Ω" and re.fullmatch(r"\s*(ol|open|inf)\s*", text, re.IGNORECASE):
        return OPEN_OHM
    minus = text.strip().startswith(("-", "−"))
    value = read(text.strip().lstrip("-−"), unit, slot)
    return -value if minus else value


def before_cuts(plan: Plan, found: Proof) -> tuple[Cut, ...]:
    """What of a build cannot be undone, and what of a unit is to be proven before."""
    return cuts(plan, [r.step for r in found.rungs], {r.step.key for r in found.rungs if r.state in TRUSTED})


def explained(assessed: Assessment, rung: Rung, rungs: Sequence[Rung] = ()) -> tuple[Cause, ...]:
    """What may be wrong with a rung whose reading is off, by all that was read of the unit."""
    if rung.state != "off" or rung.reading is None or rung.reading.value is None:
        return ()
    held = {
        r.step.key: r.step.holds(r.reading.value)
        for r in rungs
        if r.step.unit and r.reading is not None and r.reading.value is not None and r.state in ("proven", "off")
    }
    return causes(assessed, rung.step, rung.reading.value, held)
