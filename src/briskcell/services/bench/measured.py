"""A reading becomes a figure of the plan: a draw, a resistance, what a board makes and loses, a charger's amps, a capacity."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid

from briskcell.core.answers import Answers
from briskcell.core.assess import Assessment
from briskcell.core.bench.course import totals
from briskcell.core.bench.gate import no_capacity, no_figure
from briskcell.core.bench.partial import Joined
from briskcell.core.bench.step import MILLIVOLT, dummy_load
from briskcell.core.engine.converters import losses_of, switching_input_current
from briskcell.core.engine.resistance import link_resistance_ohm
from briskcell.core.pack.own_curve import own_curve
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure, Grade
from briskcell.model.parts import Converter, EfficiencyPoint, EfficiencyPoints, Link, Load
from briskcell.model.stores import ChargeBoard
from briskcell.model.tree import source_of
from briskcell.model.units import show
from briskcell.services.edits.values import Edit
from briskcell.services.moments import told
from briskcell.store.runs import RunRow, RunStore

from .proof import Proof, Rung

NO_OHMS, OHMS = 0.3, 0.15  # below which a joint's ohms say no figure; what a meter's lowest range may be off
METER = 0.02  # of a reading, that a usual meter in its amps range may be off, with its leads in the way
SHAPE = (0.3, 1.0, 2.0)  # of the amps measured, at which the shape of a board's losses is kept


def usable(rung: Rung) -> bool:
    """Whether a rung's reading can become a figure."""
    measured = rung.step.key.partition(":")[0] in _MADE and rung.state in ("proven", "off", "passed")
    value = rung.reading.value if measured and rung.reading is not None else None
    if rung.step.unit == "Ω":
        return value is not None and NO_OHMS < value < 100.0
    return value is not None and value > 0


def simulated(rung: Rung) -> bool:
    """Whether a rung's reading comes from a simulated bench."""
    return rung.reading is not None and bool(rung.reading.note.get("simulated"))


def put_on_plan(assessed: Assessment, found: Proof, key: str, *, sure: bool, on_console: bool = False) -> Edit:
    """What a reading says, as the figure of its part: measured, with the unit, the day, and what the meter may be off.

    One that is simulated becomes a figure only where that was said once more, and is graded as a guess; but ``on_console``, where
    a simulated console is looked at as it was read, it was measured.

    Raises
    ------
    FigureError
        If the step was not read, or the reading makes no figure.
    """
    rung = next((r for r in found.rungs if r.step.key == key and usable(r)), None)
    if rung is None or rung.reading is None or rung.reading.value is None:
        raise FigureError(f"read-{key}", "There is no reading that could become a figure.", fix="Take it first.")
    if why := no_figure(rung.reading.value, rung.step.unit, rung.step.likely):
        raise FigureError(f"read-{key}", why, fix="Look for the fault, then read it again.")
    _real(simulated(rung), f"read-{key}", sure=sure)
    known = _Known(found, rung, "guessed" if simulated(rung) and not on_console else "measured")
    return _MADE[key.partition(":")[0]](assessed, found, rung, known)


class _Known:
    """How well a reading is known, and the words that say so."""

    def __init__(self, found: Proof, rung: Rung, grade: Grade) -> None:
        assert rung.reading is not None
        self.grade = grade
        self.off = float(rung.reading.note.get("off", METER))
        meter = rung.reading.note.get("by", "") or "meter"
        self.source = f"unit {found.unit.name}, {told(rung.reading.at)}, {meter} ±{self.off:.2g}".replace("±0.02", "±2%")
        self.value = float(rung.reading.value or 0.0)

    def figure(self, likely: float, beside: float = 0.0) -> Figure:
        off = abs(likely) * self.off + beside
        return Figure(low=max(likely - off, 0.0), likely=likely, high=likely + off, grade=self.grade, source=self.source)


def _charger(a: Assessment, _found: Proof, rung: Rung, known: _Known) -> Edit:
    part = a.plan.by_id[rung.step.element]
    assert isinstance(part, ChargeBoard)
    new = known.figure(part.current_a.likely * known.value / (rung.step.likely or 1.0))
    return Edit(replaced(a.plan, altered(part, current_a=new)), f"{part.name} gives {show(new.likely, 'A')}, measured")


def _draw(a: Assessment, found: Proof, rung: Rung, known: _Known) -> Edit:
    """A part's draw is what the amps out of the pack rose by as it was joined, in the proportion in which the plan foresaw them; so
    the losses on the way stay those of the plan.
    """
    part = a.plan.by_id[rung.step.element]
    assert isinstance(part, Load)
    read, planned = known.value, rung.step.likely or 0.0
    before = _before(found, rung)
    if before is not None:
        read, planned = read - before[0], planned - before[1]
    if read <= 0 or planned <= 0:
        raise FigureError(
            f"read-{rung.step.key}", f"With {part.name} the pack gave no more than without it.", fix="Read both steps again."
        )
    share = read / planned if part.kind != "resistance_ohm" else planned / read
    new = known.figure(part.draw.play.likely * share)
    states = part.draw.model_copy(update={"play": new, **_others(part, new)})
    unit = {"power_w": "W", "current_a": "A", "resistance_ohm": "Ω"}[part.kind]
    words = f"{part.name} draws {show(new.likely, unit)} in play, measured"
    return Edit(replaced(a.plan, altered(part, **{part.kind: states})), words)


def _joint(a: Assessment, _found: Proof, rung: Rung, known: _Known) -> Edit:
    """A link's own resistance, of which a meter's lowest range of ohms knows little more than some tenths."""
    part = a.plan.by_id[rung.step.element]
    assert isinstance(part, Link)
    new = known.figure(max(known.value, 1e-4), OHMS)
    return Edit(replaced(a.plan, altered(part, resistance_ohm=new)), f"{part.name} has {show(new.likely, 'Ω')}, measured")


def _drop(a: Assessment, _found: Proof, rung: Rung, known: _Known) -> Edit:
    """A link's own resistance by the volts it drops, at the amps that the resistor draws by the plan."""
    part = a.plan.by_id[rung.step.element]
    assert isinstance(part, Link)
    amps = (rung.step.likely or 0.0) / max(link_resistance_ohm(part), 1e-6)
    if amps <= 0:
        raise FigureError(f"read-{rung.step.key}", "Nothing flows through it by the plan.", fix="Read its ohms.")
    new = known.figure(known.value / amps, MILLIVOLT / amps)
    return Edit(replaced(a.plan, altered(part, resistance_ohm=new)), f"{part.name} has {show(new.likely, 'Ω')}, measured")


def _volts(a: Assessment, _found: Proof, rung: Rung, known: _Known) -> Edit:
    part = a.plan.by_id[rung.step.element]
    assert isinstance(part, Converter)
    off = part.output_v.likely * known.off / 2
    new = Figure(low=known.value - off, likely=known.value, high=known.value + off, grade=known.grade, source=known.source)
    return Edit(replaced(a.plan, altered(part, output_v=new)), f"{part.name} makes {show(new.likely, 'V')}, measured")


def _efficiency(a: Assessment, found: Proof, rung: Rung, known: _Known) -> Edit:
    """Power into the resistor over power in: amps as read, volts in those of the pack as it was read alone, less the way's drop.

    The shape of the board's losses stays that of its class, scaled to what was measured.
    """
    board, ohm = a.plan.by_id[rung.step.element], rung.step.dummy_ohm
    assert isinstance(board, Converter)
    slot = f"read-{rung.step.key}"
    store = source_of(a.plan, board)
    volts, alone = _read(found, f"dummy:{board.id}"), _read(found, f"polarity:{store.id}")
    if ohm is None or volts is None or alone is None or board.kind == "linear":
        raise FigureError(
            slot, "Its efficiency needs the volts of the resistor's step and of the pack alone.", fix="Read them first."
        )
    solved = Joined(a.plan, (), dummy_load(board.id, ohm)).solved()
    drop = float(np.nanmedian(solved.volts[store.id] - solved.volts[board.fed_by])) if store.id in solved.volts else 0.0
    volts_in = alone - drop
    watts_out, watts_in = volts**2 / ohm, volts_in * known.value
    share = watts_out / watts_in if watts_in > 0 else 0.0
    if not 0.3 < share < 1.0:
        raise FigureError(
            slot, f"That would be an efficiency of {share:.0%}.", fix="Read the volts and the amps again, one after the other."
        )
    amps = volts / ohm
    lost = [_model_loss(board, volts, volts_in, k * amps) for k in SHAPE]
    scale = (watts_in - watts_out) / max(lost[1], 1e-9)
    points = tuple(
        EfficiencyPoint(input_v=volts_in, output_a=k * amps, efficiency=k * watts_out / (k * watts_out + scale * w))
        for k, w in zip(SHAPE, lost, strict=True)
    )
    loss = EfficiencyPoints(points=points, grade=known.grade, source=f"{known.source}; one point, the shape is that of its class")
    return Edit(replaced(a.plan, altered(board, loss=loss)), f"{board.name} has {share:.0%} at {show(amps, 'A')}, measured")


def _model_loss(board: Converter, volts: float, volts_in: float, amps: float) -> float:
    watts = volts * amps
    return volts_in * float(switching_input_current(watts, volts_in, losses_of(board), output_a=amps)) - watts


Made = Callable[[Assessment, Proof, Rung, _Known], Edit]
_MADE: dict[str, Made] = {"draw": _draw, "into": _charger, "joint": _joint, "drop": _drop, "idle": _volts, "feed": _efficiency}


@dataclass(frozen=True, slots=True)
class Capacity:
    """What a discharge says a pack holds, why it says nothing, and whether it was made up by a simulated bench. [Ah]"""

    ah: float
    why_not: str
    simulated: bool


def capacity(a: Answers, run: RunRow, store: RunStore) -> Capacity | None:
    """A run through the gate; None for one that was never meant to say what a pack holds."""
    about = run.about
    if run.kind != "discharge" or not about.get("full") or not a.plan.packs:
        return None
    simulated = bool(about.get("simulated"))
    if run.state != "done":
        return Capacity(math.nan, "It did not run to its end.", simulated)
    if (cell := about.get("cell")) is not None and cell != a.plan.packs[0].cell.part_class:
        return Capacity(math.nan, "It was made with other cells than the plan has now.", simulated)
    rows = store.rows(run.id)
    held = totals(rows[:, 0], rows[:, 1], rows[:, 2]).ah
    return Capacity(held, no_capacity(a, rows, held, _end_v(run, rows)), simulated)


def _end_v(run: RunRow, rows: NDArray[np.float64]) -> float:
    """Volts at which a run ended: those below which it was to end, where that was its end; of a file, the last."""
    if run.about.get("from") == "file":
        return float(rows[-1, 1]) if len(rows) else math.inf
    by_volts = run.about.get("end", "volts" if "below" in run.words else "") == "volts"
    return float(run.about.get("below") or math.inf) if by_volts else math.inf


def capacity_of(a: Answers, run: RunRow, store: RunStore) -> float | None:
    """What a run says a pack truly holds; None for one that does not come through the gate, or is simulated. [Ah]"""
    found = capacity(a, run, store)
    return None if found is None or found.why_not or found.simulated else found.ah


def capacity_on_plan(a: Assessment, run: RunRow, store: RunStore, unit: str, *, sure: bool) -> Edit:
    """A measured capacity as the figure of the pack's cells; one that is simulated only where that was said once more.

    Raises
    ------
    FigureError
        If the run is no measure of it.
    """
    found = capacity(a, run, store)
    if found is None or found.why_not:
        why = found.why_not if found else "It was no discharge from full."
        raise FigureError("run", f"That run says nothing about what the pack holds. {why}", fix="Discharge it from full to empty.")
    _real(found.simulated, "run", sure=sure)
    pack = a.plan.packs[0]
    each = found.ah / pack.parallel / pack.cell.health
    off = each * METER / 2
    made_up = ", simulated" if found.simulated else ""
    source = f"unit {unit}, {told(run.began_at)}, {run.title.lower()}{made_up}"
    new = Figure(low=each - off, likely=each, high=each + off, grade="guessed" if made_up else "measured", source=source)
    cell = pack.cell.model_copy(update={"measured_ah": new})
    words = f"{pack.name}: each cell holds {show(each, 'Ah')}, {'from the simulated bench' if made_up else 'measured'}"
    return Edit(replaced(a.plan, altered(pack, cell=cell)), words)


def curve_on_plan(a: Assessment, run: RunRow, store: RunStore, unit: str, *, sure: bool) -> Edit:
    """A run's discharge as the open-circuit curve of the pack's cells; a simulated one only where that was said once more.

    Raises
    ------
    FigureError
        If the run is no slow discharge of that pack from full to empty.
    """
    found = capacity(a, run, store)
    if found is None or found.why_not:
        why = found.why_not if found else "It was no discharge from full."
        raise FigureError("run", f"That run has no curve from full to empty. {why}", fix="Discharge it from full to empty.")
    _real(found.simulated, "run", sure=sure)
    pack = a.plan.packs[0]
    if pack.strings:
        raise FigureError("run", "One curve cannot stand for unlike strings.", fix="Give the pack cells of one kind first.")
    rows = store.rows(run.id)
    known = np.isfinite(rows[:, 1]) & np.isfinite(rows[:, 2])
    t, volts, amps = rows[known, 0], rows[known, 1], np.abs(rows[known, 2])
    out = cumulative_trapezoid(amps, t, initial=0.0) / 3600.0
    joints = pack.link_resistance_ohm.likely + (pack.protection.resistance_ohm.likely if pack.protection else 0.0)
    source = f"unit {unit}, {told(run.began_at)}, {run.title.lower()}{', simulated' if found.simulated else ''}"
    try:
        made = own_curve(pack.cell, out / pack.parallel, (volts + amps * joints) / pack.series, amps / pack.parallel, source)
    except FigureError as error:
        raise FigureError("run", error.message, fix=error.fix) from error
    cell = made.cell if not found.simulated else made.cell.model_copy(update={"curve_grade": "guessed"})
    words = f"{pack.name}: its cells have the curve of {run.title.lower()}, {show(made.ah, 'Ah')} each"
    return Edit(replaced(a.plan, altered(pack, cell=cell)), words)


def _real(simulated: bool, slot: str, *, sure: bool) -> None:
    if simulated and not sure:
        raise FigureError(
            slot,
            "That was read on a simulated bench: no meter has seen this console.",
            fix="Say once more that it shall stand on the plan all the same.",
        )


def _others(part: Load, play: Figure) -> dict[str, Figure]:
    """Rest and peak where play, as measured, would pass them: moved with it, and no better known than before."""
    rest, peak = part.draw.rest, part.draw.peak
    if part.kind == "resistance_ohm":
        return {}
    out = {"peak": peak.at(play.likely, grade=peak.grade, source=peak.source)} if peak.likely < play.likely else {}
    return out | ({"rest": rest.at(play.likely, grade=rest.grade, source=rest.source)} if rest.likely > play.likely else {})


def _read(found: Proof, key: str) -> float | None:
    rung = next((r for r in found.rungs if r.step.key == key), None)
    return rung.reading.value if rung and rung.reading else None


def _before(found: Proof, rung: Rung) -> tuple[float, float] | None:
    """Amps read and foreseen with one part less; None for the first part."""
    draws = [r for r in found.rungs if r.step.key.startswith("draw:")]
    k = draws.index(rung)
    if k == 0:
        return None
    last = draws[k - 1]
    return (last.reading.value, last.step.likely or 0.0) if last.reading and last.reading.value is not None else None
