"""The way from a supply to its charge boards: what flows in it at most, what arrives, and each conductor and contact on it."""

from __future__ import annotations

from dataclasses import dataclass

from briskcell.core.charge.charging import ChargePath, input_ohm
from briskcell.core.engine.operating import Operating
from briskcell.core.wiring.harness import LinkCheck, link_check
from briskcell.model.parts import Link
from briskcell.model.stores import ChargeBoard, Supply


@dataclass(frozen=True, slots=True, kw_only=True)
class WayIn:
    """One charge board at its supply: what it would take of a source that gives all, what it takes of this one, and the volts then.

    ``steady_a`` lasts, beside the peaks of a console that it feeds. ``input_v`` are the volts that arrive at the board while it
    takes the most.
    """

    board: ChargeBoard
    supply: Supply
    wanted_a: float
    taken_a: float
    steady_a: float
    input_v: float
    links: tuple[Link, ...]


def ways_in(op: Operating) -> tuple[WayIn, ...]:
    """Every charge board at its supply, at the most it takes: with the console off, in play or at its peak.

    Parameters
    ----------
    op : Operating
        The solved build.

    Returns
    -------
    tuple of WayIn
        In the order of the boards.
    """
    out = []
    for board in op.plan.chargers:
        supply = op.plan.by_id[board.supply]
        assert isinstance(supply, Supply)
        path = ChargePath(op, board, supply, op.network.stores.index(board.charges))
        amps = path.input_a()
        links, at = [], board.fed_by
        while at is not None and isinstance(link := op.plan.by_id[at], Link):
            links.append(link)
            at = link.fed_by
        arrives = path.source_v - amps * input_ohm(op.plan, board, supply)
        out.append(
            WayIn(
                board=board,
                supply=supply,
                wanted_a=path.input_a(unheld=True),
                taken_a=amps,
                steady_a=path.input_a(peaks=False),
                input_v=arrives,
                links=tuple(links),
            )
        )
    return tuple(out)


def check_way_in(ways: tuple[WayIn, ...], air_c: float) -> tuple[LinkCheck, ...]:
    """Every conductor and contact between the supplies and their boards, with what all boards behind it take at most.

    Parameters
    ----------
    ways : tuple of WayIn
        The charge boards at their supplies.
    air_c : float
        Air in the closed case. [°C]

    Returns
    -------
    tuple of LinkCheck
        Charging lasts: a wire warms with all that flows but the console's peaks. Warming is None for switches, fuses and plugs.
    """
    links = {link.id: link for way in ways for link in way.links}
    peak = {i: sum(w.taken_a for w in ways if links[i] in w.links) for i in links}
    steady = {i: sum(w.steady_a for w in ways if links[i] in w.links) for i in links}
    return tuple(link_check(link, peak[i], steady[i], air_c) for i, link in links.items())
