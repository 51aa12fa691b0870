"""What to cut: every conductor with its pieces, colours and marks, and how many metres of each wire to buy."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from briskcell.core.circuit.circuit import Circuit
from briskcell.model.parts import Colour, Converter, Link
from briskcell.model.plan import Plan
from briskcell.model.tree import feeders_of

SPARE = 1.1  # a tenth more than the pieces, for what is cut wrong
PLUS: tuple[Colour, ...] = ("red", "orange", "yellow", "violet", "blue", "white")  # of the store, then rail by rail
MINUS: Colour = "black"


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """One piece of wire to cut: its conductor, colour and length, and what its label says at both ends. [m]"""

    link: Link
    colour: Colour
    length_m: float
    near: str
    far: str


def colour_of(plan: Plan, link: Link) -> Colour:
    """The colour of a conductor's positive strand: its own where it has one, else one for each voltage of the build.

    Parameters
    ----------
    plan : Plan
        The build.
    link : Link
        A wire or a return.

    Returns
    -------
    str
        Red from the store, another behind each board; a return is black.
    """
    if link.colour is not None:
        return link.colour
    if link.kind == "return":
        return MINUS
    board = next((p for p in feeders_of(plan, link) if isinstance(p, Converter)), None)
    return PLUS[0] if board is None else PLUS[min(plan.converters.index(board) + 1, len(PLUS) - 1)]


def pieces(circuit: Circuit) -> tuple[Piece, ...]:
    """Every piece of wire to cut, one for each strand: the way out in its colour, the way back in black.

    Parameters
    ----------
    circuit : Circuit
        The circuit of a build.

    Returns
    -------
    tuple of Piece
        Of wires and returns that have a length, in the order of the plan; both ends by the terminals they are soldered to.
    """
    out = []
    for wire in circuit.plan.links:
        if wire.kind not in ("wire", "return") or wire.length_m is None:
            continue
        strands = [c for c in circuit.conductors if c.link is wire or c.key in (f"{wire.id}:+", f"{wire.id}:-")]
        for n in range(wire.conductors if wire.kind == "wire" else 1):
            strand = strands[min(n % 2, len(strands) - 1)]  # of four conductors two lie side by side
            near, far = (strand.a, strand.b) if strand.pole == "+" else (strand.b, strand.a)
            colour = colour_of(circuit.plan, wire) if strand.pole == "+" else MINUS
            ends = (circuit.words(near), circuit.words(far))
            out.append(Piece(link=wire, colour=colour, length_m=wire.length_m, near=ends[0], far=ends[1]))
    return tuple(out)


def to_buy(cut: Iterable[Piece]) -> dict[tuple[str, Colour], float]:
    """Metres of each wire to buy, a tenth more than the pieces come to.

    Parameters
    ----------
    cut : iterable of Piece
        All of a build.

    Returns
    -------
    dict
        By gauge in words, ``22 AWG``, ``0.34 mm²`` or that it is not given, and colour. [m]
    """
    out: dict[tuple[str, Colour], float] = {}
    for piece in cut:
        key = (_gauge(piece.link), piece.colour)
        out[key] = out.get(key, 0.0) + SPARE * piece.length_m
    return out


def _gauge(link: Link) -> str:
    if link.awg is not None:
        return f"{link.awg:g} AWG"
    return f"{link.section_mm2:g} mm²" if link.section_mm2 is not None else "of a gauge not given"
