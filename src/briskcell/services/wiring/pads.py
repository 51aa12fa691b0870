"""The circuit pad by pad, in words: every conductor from one terminal to another, and what is joined to each terminal."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.circuit.circuit import Conductor, End
from briskcell.model.parts import Colour
from briskcell.model.units import Show, show

UNNAMED = "short wire, not named in the plan"


@dataclass(frozen=True, slots=True)
class PadLine:
    """One conductor in words: both ends, what it is, its colour where it has one, and the part whose slip tells more."""

    near: str
    far: str
    what: str
    colour: Colour | None
    part: str


def strand(assessed: Assessment, c: Conductor, show: Show = show) -> str:
    """One strand in words: colour, gauge, length; a short one where the plan names none."""
    if c.link is None:
        return {"tap": "balance lead", "signal": "button lead"}.get(c.pole, UNNAMED)
    gauge = f"{c.link.awg:g} AWG" if c.link.awg is not None else "wire"
    return f"{colour_of(assessed, c)} {gauge}" + (f", {show(c.link.length_m, 'm')}" if c.link.length_m else "")


def colour_of(assessed: Assessment, c: Conductor) -> Colour | None:
    """The colour of a strand; None of one that the plan does not name."""
    return None if c.link is None else assessed.colours[c.link.id] if c.pole == "+" else "black"


def pad_lines(assessed: Assessment, show: Show = show) -> tuple[PadLine, ...]:
    """Every conductor of the circuit, plus before minus, from the supply to the loads."""
    circuit = assessed.circuit
    order = {"+": 0, "-": 1, "tap": 2, "signal": 3}
    return tuple(
        PadLine(circuit.words(c.a), circuit.words(c.b), strand(assessed, c, show), colour_of(assessed, c), part_of(assessed, c))
        for c in sorted(circuit.conductors, key=lambda c: order[c.pole])
    )


def part_of(assessed: Assessment, c: Conductor) -> str:
    """The part that a conductor belongs to: its wire, else what is joined by it; empty where that is no part of the plan."""
    part = c.key.rpartition(":")[0]
    return part if part in assessed.plan.by_id else ""


def joined(assessed: Assessment, place: str, show: Show = show) -> dict[str, tuple[str, ...]]:
    """What is joined to each terminal of a place, by the terminal's key: where to, and by what."""
    circuit, out = assessed.circuit, dict[str, tuple[str, ...]]()
    for c in circuit.at(place):
        for here, there in ((c.a, c.b), (c.b, c.a)):
            if here.place == place:
                out[here.terminal] = (*out.get(here.terminal, ()), f"{_to(assessed, there)}: {strand(assessed, c, show)}")
    return out


def _to(assessed: Assessment, end: End) -> str:
    return f"to {assessed.circuit.words(end)}"
