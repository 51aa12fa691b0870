"""The protection board of a pack: where one made for its cells cuts off and trips, and a pack with one."""

from __future__ import annotations

from collections.abc import Iterator

from briskcell.model.changes import altered, replaced
from briskcell.model.figure import Figure
from briskcell.model.plan import Plan
from briskcell.model.stores import Cell, Pack, Protection
from briskcell.model.units import show

from .fix import Fix

LEAST_GUARD_V, UNDER_EMPTY_V = 0.5, 0.2  # a cell: the least a board is made for, and how far below empty it cuts off; typical
OVER_FULL_V = 0.08  # above where a cell is full, at which such a board ends a charge: 4.28 of 4.2 V; typical
COST, COST_EACH = 1.5, 0.8  # of a board for one cell, and for each further one in series; typical [€]
LEAST_TRIP_A, TRIP_SHARE = 6.0, 0.8  # of what the cells give for long; typical
SOURCE = "class range, typical of protection boards"


def guard_v(cell: Cell) -> float:
    """Where a protection board made for a cell cuts off: a little below where it is empty.

    Parameters
    ----------
    cell : Cell
        The cell.

    Returns
    -------
    float
        Typical of the class. [V]
    """
    return max(cell.empty_v - UNDER_EMPTY_V, LEAST_GUARD_V)


def over_v(cell: Cell) -> float:
    """Where a protection board made for a cell ends a charge.

    Parameters
    ----------
    cell : Cell
        The cell.

    Returns
    -------
    float
        Typical of the class. [V]
    """
    return round(cell.full_v + OVER_FULL_V, 2)


def protection_for(cell: Cell, series: int, parallel: int, cutoff_v: float) -> Protection:
    """A board of its class for some cells in series and side by side.

    Parameters
    ----------
    cell : Cell
        The cells.
    series, parallel : int
        How many in series, and side by side.
    cutoff_v : float
        Of a cell. [V]

    Returns
    -------
    Protection
        Figures are typical.
    """
    trip = max(LEAST_TRIP_A, round(cell.max_discharge_a.likely * parallel * TRIP_SHARE, 1))
    return Protection(
        cutoff_cell_v=cutoff_v,
        over_cell_v=over_v(cell),
        cost=round(COST + COST_EACH * (series - 1), 2),
        trip_a=Figure(low=trip, likely=trip, high=trip, grade="typical", source=SOURCE),
        resistance_ohm=Figure(low=0.015, likely=0.025, high=0.04, grade="typical", source=SOURCE),
    )


def guarded(plan: Plan, pack: Pack) -> Iterator[Fix]:
    """The pack behind a board that is made for its cells; what it has keeps its trip and its resistance.

    Parameters
    ----------
    plan : Plan
        The build.
    pack : Pack
        One of its packs.

    Yields
    ------
    Fix
        One plan.
    """
    cutoff = max(guard_v(c) for c in pack.string_cells)
    own = pack.protection
    set_to = {"cutoff_cell_v": cutoff, "over_cell_v": min(over_v(c) for c in pack.string_cells), "senses_each": True}
    made = own.model_copy(update=set_to) if own else protection_for(pack.cell, pack.series, pack.parallel, cutoff)
    yield Fix(
        f"A protection board that cuts off at {show(cutoff, 'V')} a cell, and at {show(set_to['over_cell_v'], 'V')} on charge",
        "ends a discharge, and a charge, before it harms them.",
        replaced(plan, altered(pack, protection=made)),
    )
