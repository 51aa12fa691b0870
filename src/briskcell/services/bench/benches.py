"""Consoles on the bench: units, their readings, runs and instruments."""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import Any

from briskcell.core.assess import Assessment
from briskcell.core.bench.course import Totals
from briskcell.core.bench.specimen import Fault, could_be, fault_of
from briskcell.model.errors import FigureError
from briskcell.model.units import read
from briskcell.services.edits.values import Edit
from briskcell.store.runs import RunRow, RunStore
from briskcell.store.units import ReadingRow, UnitRow, UnitStore

from . import courses, measured, proof
from .asked import Form, test_of
from .courses import Course
from .guard import Draws
from .instruments import Instruments
from .measured import Capacity
from .proof import Proof
from .recording import Recorder

FASTEST = 100_000.0
WAITS_S = 0.5  # that an answer waits for a run that was stopped


class Benches:
    """What was made of the builds of one shelf, and what reads it."""

    def __init__(self, units: UnitStore, runs: RunStore, instruments: Instruments, recorder: Recorder) -> None:
        self._units, self._runs, self._recorder = units, runs, recorder
        self.instruments = instruments

    def units(self, build_id: int) -> tuple[UnitRow, ...]:
        """Every console that was made of a build."""
        return self._units.units(build_id)

    def add_unit(self, build_id: int, name: str) -> str:
        """One more, unproven; the name it goes by."""
        made = proof.add_unit(self._units, build_id, name)
        return next(u.key for u in self.units(build_id) if u.id == made)

    def readings(self, unit_id: int) -> tuple[ReadingRow, ...]:
        """All readings of a unit."""
        return self._units.readings(unit_id)

    def proof(self, unit: UnitRow, assessed: Assessment, *, standing: bool = False) -> Proof:
        """The ladder of a unit; of a ``standing`` console nothing on it waits for what is below."""
        return proof.proof(assessed, unit, self._units.readings(unit.id), standing=standing)

    def take(
        self,
        assessed: Assessment,
        found: Proof,
        key: str,
        text: str,
        *,
        reason: str = "",
        back: bool = False,
        note: dict[str, str] | None = None,
    ) -> None:
        """Take what was typed as a reading of a unit, pass it for a reason, or take it back."""
        proof.take(assessed, self._units, found, key, text, reason=reason, back=back, note=note)

    def take_back(self, unit_id: int, key: str) -> None:
        """Take a reading back, so that its step is due again."""
        self._units.take(unit_id, key, None)

    def read(self, build_id: int, assessed: Assessment, found: Proof, key: str, note: dict[str, str]) -> None:
        """Read a step with the first meter that can; what it may be off is kept with the reading.

        Raises
        ------
        FigureError
            If there is no meter, or it says nothing that makes sense.
        """
        meters = self.instruments.of_kind("meter", build_id)
        if not meters:
            raise FigureError(f"read-{key}", "There is no meter any more.", fix="Type what you read.")
        meter, step = meters[0], next((r.step for r in found.rungs if r.step.key == key), None)
        off = {"V": "volts", "A": "amps", "Ω": "ohms"}.get(step.unit if step else "", "volts")
        share = getattr(meter.description.error, off)[0]
        note = {**note, "by": meter.description.name[:60], "off": f"{max(share, 0.001):g}"}
        if meter.is_simulated():
            note["simulated"] = "yes"
        proof.take(assessed, self._units, found, key, "", note=note, read_by=lambda s: self.instruments.read(meter.id, s))

    def faults(self, assessed: Assessment) -> tuple[Fault, ...]:
        """Every fault that the simulated bench can hide in a build."""
        return tuple(could_be(assessed))

    def simulate(self, build_id: int, assessed: Assessment, fault: str, charge: str, speed: str) -> None:
        """Put a build on the simulated bench as it is typed: a fault as ``kind,part``, its charge, how fast its time runs.

        Raises
        ------
        FigureError
            If a figure makes no sense, or there is nothing to put there.
        """
        kind, _, where = fault.partition(",")
        faults = (fault_of(assessed.plan, kind, where),) if kind else ()
        soc, fast = read(charge or "60 %", "", "simulate"), read(speed or "1", "", "simulate")
        if not 0 <= soc <= 1 or not 0 < fast <= FASTEST:
            raise FigureError("simulate", "Charge goes from 0 to 100 %, speed up to 100 000.", fix="Give figures within.")
        self.instruments.simulate(build_id, assessed, faults, soc=soc, speed=fast)

    def runs(self, unit_id: int) -> tuple[RunRow, ...]:
        """The runs of a unit, the newest first."""
        return self._runs.of_unit(unit_id)

    def run(self, build_id: int, run_id: int) -> RunRow | None:
        """A run of one of a build's units; None where it has none of that number."""
        found = self._runs.get(run_id)
        return found if found is not None and self._units.build_of(found.unit_id) == build_id else None

    def owns(self, build_id: int, unit_id: int) -> bool:
        """Whether a unit is one of a build's."""
        return self._units.build_of(unit_id) == build_id

    def course(self, run: RunRow) -> Course:
        """A run's readings, drawn small, and what it comes to."""
        return courses.course_of(run, self._runs)

    def totals(self, run: RunRow) -> Totals:
        """What a run comes to."""
        return courses.totals_of(self._runs, run.id)

    def capacity(self, assessed: Assessment, run: RunRow) -> Capacity | None:
        """What a run says that a pack holds."""
        return measured.capacity(assessed, run, self._runs)

    def capacity_on_plan(self, build_id: int, assessed: Assessment, run: RunRow, *, sure: bool) -> Edit:
        """A run's capacity as the figure of the pack's cells."""
        name = next(u.name for u in self.units(build_id) if u.id == run.unit_id)
        return measured.capacity_on_plan(assessed, run, self._runs, name, sure=sure)

    def curve_on_plan(self, build_id: int, assessed: Assessment, run: RunRow, *, sure: bool) -> Edit:
        """A run's discharge as the curve of the pack's cells."""
        name = next(u.name for u in self.units(build_id) if u.id == run.unit_id)
        return measured.curve_on_plan(assessed, run, self._runs, name, sure=sure)

    def begin(self, build_id: int, unit: UnitRow, assessed: Assessment, form: Form, whence: str) -> None:
        """Begin a run as it was asked for; ``whence`` says from which device, in words.

        Raises
        ------
        FigureError
            If it cannot be, or the plan does not allow it.
        """
        known = {str(i.id): i for i in self.instruments.of_build(build_id)}
        test = test_of(form, lambda name: known.get(form(name)), assessed, f"{assessed.plan.name}, {unit.name}{whence}")
        pack = next(iter(assessed.plan.packs), None)
        self._recorder.begin(unit.id, test, {"cell": pack.cell.part_class} if pack and test.kind == "discharge" else {})

    def stop(self, run_id: int, *, settle_s: float = 0.0) -> None:
        """Stop a run, and wait a moment for its load to be off."""
        self._recorder.stop(run_id)
        if settle_s:
            self._recorder.settle(run_id, settle_s)
        else:
            self._recorder.wait(run_id, self._runs.count(run_id), WAITS_S)

    def remove_run(self, run_id: int) -> None:
        """Stop a run and take it away; one that does not end at once stays."""
        self._recorder.stop(run_id)
        if not self._recorder.runs(run_id):
            self._runs.remove(run_id)

    def stream(self, run_id: int, seen: int, seconds: float) -> Iterator[dict[str, Any]]:
        """News of a run for some seconds, from the reading on that was seen last."""
        return courses.stream(self._recorder, self._runs, run_id, seen, time.monotonic() + seconds)

    def drawing(self) -> tuple[tuple[int, Draws], ...]:
        """Runs whose loads draw at this moment."""
        return self._recorder.drawing()

    @property
    def busy(self) -> bool:
        """Whether a run goes on, or a load is not known to be off."""
        return self._recorder.busy

    def state(self, unit_id: int) -> str:
        """What was read and run of a unit so far, in a word: another as soon as anything is added."""
        readings, runs = self._units.readings(unit_id), self._runs.of_unit(unit_id)
        return f"{len(readings)}-{len(runs)}-{sum(r.state == 'running' for r in runs)}"

    def close(self) -> None:
        """End all runs, and let go of the instruments."""
        self._recorder.close()
        self.instruments.close()
