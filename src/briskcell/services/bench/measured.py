"""A reading becomes a figure of the plan: what a part was measured to draw, what a charger was measured to give."""

from __future__ import annotations

from briskcell.core.assess import Assessment
from briskcell.model.changes import altered, replaced
from briskcell.model.errors import FigureError
from briskcell.model.figure import Figure
from briskcell.model.parts import Load
from briskcell.model.stores import ChargeBoard
from briskcell.model.units import show
from briskcell.services.edits.values import Edit

from .proof import Proof, Rung

METER = 0.02  # of a reading, that a usual meter in its amps range may be off, with its leads in the way


def usable(rung: Rung) -> bool:
    """Whether a rung's reading can become a figure."""
    measured = rung.step.key.startswith(("draw:", "into:")) and rung.state in ("proven", "off", "passed")
    return measured and rung.reading is not None and rung.reading.value is not None and rung.reading.value > 0


def put_on_plan(assessed: Assessment, found: Proof, key: str) -> Edit:
    """What a reading says, as the figure of its part: measured, with the unit, the day, and what the meter may be off.

    A part's draw is what the amps out of the pack rose by as it was joined, in the proportion in which the plan foresaw them; so
    the losses on the way stay those of the plan.

    Raises
    ------
    FigureError
        If the step was not read, or the reading makes no draw.
    """
    rung = next((r for r in found.rungs if r.step.key == key and usable(r)), None)
    if rung is None or rung.reading is None or rung.reading.value is None:
        raise FigureError(f"read-{key}", "There is no reading that could become a figure.", fix="Take it first.")
    part = assessed.plan.by_id[rung.step.element]
    source = f"unit {found.unit.name}, {rung.reading.at.strftime('%-d %b %Y')}, meter ±{METER:.0%}"
    if isinstance(part, ChargeBoard):
        new = _figure(part.current_a.likely * rung.reading.value / (rung.step.likely or 1.0), source)
        return Edit(replaced(assessed.plan, altered(part, current_a=new)), f"{part.name} gives {show(new.likely, 'A')}, measured")
    assert isinstance(part, Load)
    read, planned = rung.reading.value, rung.step.likely or 0.0
    before = _before(found, rung)
    if before is not None:
        read, planned = read - before[0], planned - before[1]
    if read <= 0 or planned <= 0:
        raise FigureError(f"read-{key}", f"With {part.name} the pack gave no more than without it.", fix="Read both steps again.")
    share = read / planned if part.kind != "resistance_ohm" else planned / read
    new = _figure(part.draw.play.likely * share, source)
    states = part.draw.model_copy(update={"play": new, **_others(part, new)})
    unit = {"power_w": "W", "current_a": "A", "resistance_ohm": "Ω"}[part.kind]
    return Edit(
        replaced(assessed.plan, altered(part, **{part.kind: states})),
        f"{part.name} draws {show(new.likely, unit)} in play, measured",
    )


def _figure(likely: float, source: str) -> Figure:
    return Figure(low=likely * (1 - METER), likely=likely, high=likely * (1 + METER), grade="measured", source=source)


def _others(part: Load, play: Figure) -> dict[str, Figure]:
    """Rest and peak where play, as measured, would pass them: moved with it, and no better known than before."""
    rest, peak = part.draw.rest, part.draw.peak
    if part.kind == "resistance_ohm":
        return {}
    out = {"peak": peak.at(play.likely, grade=peak.grade, source=peak.source)} if peak.likely < play.likely else {}
    return out | ({"rest": rest.at(play.likely, grade=rest.grade, source=rest.source)} if rest.likely > play.likely else {})


def _before(found: Proof, rung: Rung) -> tuple[float, float] | None:
    """Amps read and foreseen with one part less; None for the first part."""
    draws = [r for r in found.rungs if r.step.key.startswith("draw:")]
    k = draws.index(rung)
    if k == 0:
        return None
    last = draws[k - 1]
    return (last.reading.value, last.step.likely or 0.0) if last.reading and last.reading.value is not None else None
