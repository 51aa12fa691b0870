"""What a build takes besides its parts: wire by the length it is sold in, tubing by its size, holders, links of a pack."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from briskcell.core.circuit.circuit import Circuit, Conductor
from briskcell.model.parts import Colour, Link
from briskcell.model.stores import Pack
from briskcell.model.units import awg_section_mm2

from .cutting import SPARE

SOLD_M = 1.0  # a length that wire and tubing are sold in, at the least
SHORT_M = 0.06  # of a wire that the plan does not name, from board to board: a guess
TUBE_M = 0.015  # of tubing over one bare joint: its pad and 5 mm to both sides; typical
INSULATION = 2.6  # outer over copper diameter of thin silicone wire; typical
SIZES_MM = (1.5, 2.0, 3.0, 4.0, 6.0)  # of tubing before it shrinks, as sold; it goes over twice the wire's copper with its sleeve
USUAL_MM2 = 0.33  # of a wire that states no gauge: 22 AWG
PRICES = {
    "wire": 0.6,
    "tube": 0.5,
    "strip": 0.1,
    "plug": 0.8,
    "holder": 1.0,
    "ring": 0.05,
    "wrap": 0.4,
    "button": 0.6,
}  # typical [€]


@dataclass(frozen=True, slots=True)
class Sundry:
    """So many of something: what, for what, how many as it is sold, and what they cost by typical prices. [€]"""

    name: str
    why: str
    count: int
    cost: float


def sundries(circuit: Circuit, to_buy: Mapping[tuple[str, Colour], float]) -> tuple[Sundry, ...]:
    """Everything on the drawing of a circuit that is no part of the plan.

    Parameters
    ----------
    circuit : Circuit
        The circuit of a build.
    to_buy : mapping
        Metres of named wire by gauge and colour, spare included.

    Returns
    -------
    tuple of Sundry
        Wire first; then tubing, holders, and what turns cells into a pack.
    """
    return (*_wire(circuit, to_buy), *_tubing(circuit), *_holders(circuit), *_buttons(circuit), *_packs(circuit))


def _wire(circuit: Circuit, to_buy: Mapping[tuple[str, Colour], float]) -> Iterator[Sundry]:
    for (gauge, colour), metres in to_buy.items():
        count = math.ceil(metres / SOLD_M - 1e-9)
        yield Sundry(f"Wire {gauge}, {colour}, 1 m", f"{metres:.2f} m with a tenth to spare", count, PRICES["wire"] * count)
    short = [c for c in circuit.conductors if c.link is None and c.pole in ("+", "-") and soldered_ends(circuit, c)]
    if short:
        metres = SPARE * SHORT_M * len(short)
        count = math.ceil(metres / SOLD_M - 1e-9)
        why = f"{len(short)} short pieces that the plan does not name, {SHORT_M * 100:.0f} cm each, guessed"
        yield Sundry("Wire for short pieces, 1 m", why, count, PRICES["wire"] * count)


def soldered_ends(circuit: Circuit, c: Conductor) -> int:
    """How many ends of a conductor are soldered: not plugged into a socket, nor held by a spring.

    Parameters
    ----------
    circuit : Circuit
        The circuit.
    c : Conductor
        One of its conductors.

    Returns
    -------
    int
        Of its two.
    """
    kinds = [circuit.by_id[end.place].of(end.terminal).kind for end in (c.a, c.b)]
    return sum(kind in ("pad", "hole", "pin", "lead") for kind in kinds)


def _tubing(circuit: Circuit) -> Iterator[Sundry]:
    """Tubing by the diameter it is sold in, two to one: over each soldered end, by its wire."""
    ends: Counter[float] = Counter()
    for c in circuit.conductors:
        ends[tube_mm(c.link)] += soldered_ends(circuit, c)
    for size, count in sorted(ends.items()):
        if count:
            metres = SPARE * TUBE_M * count
            sold = math.ceil(metres / SOLD_M - 1e-9)
            yield Sundry(
                f"Heat-shrink {size:g} mm, 1 m", f"over {count} joints, {TUBE_M * 1e3:.0f} mm each", sold, PRICES["tube"] * sold
            )


def tube_mm(link: Link | None) -> float:
    """The tubing that goes over a wire's joint: the smallest of those sold that is a fifth wider than the wire.

    Parameters
    ----------
    link : Link or None
        The wire; None of one that the plan does not name.

    Returns
    -------
    float
        Diameter before it shrinks. [mm]
    """
    section = USUAL_MM2
    if link is not None:
        section = link.section_mm2 or (awg_section_mm2(link.awg) if link.awg is not None else USUAL_MM2)
    outer = INSULATION * math.sqrt(4.0 * section / math.pi)
    return next((s for s in SIZES_MM if s >= 1.2 * outer), SIZES_MM[-1])


def _holders(circuit: Circuit) -> Iterator[Sundry]:
    fuses = [k for k in circuit.plan.links if k.kind == "fuse" and not k.resettable]
    if fuses:
        yield Sundry("Fuse holder", ", ".join(k.name for k in fuses)[:120], len(fuses), PRICES["holder"] * len(fuses))


def _buttons(circuit: Circuit) -> Iterator[Sundry]:
    """Push buttons of switches that are pressed, with two leads each."""
    names = [p.name for p in circuit.places if p.part is None and p.id.endswith("-button")]
    if names:
        yield Sundry("Push button with leads", ", ".join(names)[:120], len(names), PRICES["button"] * len(names))


def _packs(circuit: Circuit) -> Iterator[Sundry]:
    """What joins cells: strips across, rings on round ones, a plug for the leads between them, a wrap over all."""
    for pack in circuit.plan.packs:
        strings = len(pack.string_cells)
        cells = pack.series * strings
        if cells > 1:
            strips = strips_of(pack)
            yield Sundry(
                f"Links between cells of {pack.name}",
                f"{pack.series} in series, {strings} beside each other",
                strips,
                PRICES["strip"] * strips,
            )
        if pack.cell.is_round and cells > 1:
            yield Sundry("Insulating ring", "under the links, one a cell", cells, PRICES["ring"] * cells)
        taps = sum(c.pole == "tap" and {c.a.place, c.b.place} >= {pack.id} for c in circuit.conductors)
        if pack.series > 1 and taps:
            yield Sundry(f"Balance plug, {pack.series + 1} contacts", f"{taps} leads to {pack.name}", 1, PRICES["plug"])
        yield Sundry("Wrap for a pack", pack.name, 1, PRICES["wrap"])


def strips_of(pack: Pack) -> int:
    """Links that join a pack's cells: one to each neighbour across, at both poles of every group, and one between groups.

    Parameters
    ----------
    pack : Pack
        The pack.

    Returns
    -------
    int
        ``2·S·(P − 1) + (S − 1)``.
    """
    strings = len(pack.string_cells)
    return 2 * pack.series * (strings - 1) + pack.series - 1
