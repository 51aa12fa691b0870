"""The circuit pad by pad, in words: every conductor from one terminal to another, and what is joined to each terminal."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.assess import Assessment
from briskcell.core.wiring.strands import strand_colour, strand_words
from briskcell.model.parts import Colour
from briskcell.model.units import Show, show


@dataclass(frozen=True, slots=True)
class PadLine:
    """One conductor in words: both ends, what it is, and its colour where it has one."""

    near: str
    far: str
    what: str
    colour: Colour | None


def pad_lines(assessed: Assessment, show: Show = show) -> tuple[PadLine, ...]:
    """Every conductor of the circuit, plus before minus, from the supply to the loads."""
    circuit = assessed.circuit
    order = {"+": 0, "-": 1, "tap": 2, "signal": 3}
    return tuple(
        PadLine(circuit.words(c.a), circuit.words(c.b), strand_words(assessed.colours, c, show), strand_colour(assessed.colours, c))
        for c in sorted(circuit.conductors, key=lambda c: order[c.pole])
    )


def joined(assessed: Assessment, place: str, show: Show = show) -> dict[str, tuple[str, ...]]:
    """What is joined to each terminal of a place, by the terminal's key: where to, and by what."""
    circuit, out = assessed.circuit, dict[str, tuple[str, ...]]()
    for c in circuit.at(place):
        for here, there in ((c.a, c.b), (c.b, c.a)):
            if here.place == place:
                words = f"to {circuit.words(there)}: {strand_words(assessed.colours, c, show)}"
                out[here.terminal] = (*out.get(here.terminal, ()), words)
    return out
